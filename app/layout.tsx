import type { Metadata } from "next";
import type { ReactNode } from "react";
import "@/ui/theme/theme.css";
import { isOpenToOthers } from "@/server/access/hosts";
import { ItemMenus } from "@/ui/parts/item-menu";
import { Notices } from "@/ui/parts/notices";

export const metadata: Metadata = {
  title: { default: "Stemzo", template: "%s · Stemzo" },
  description: "Print tracks to audio, deliver stems, prove that they are right.",
};

/** Sets the theme before the first paint, so that nothing flashes. */
const themeScript = `try{document.documentElement.dataset.theme=localStorage.getItem("stemzo-theme")??"day"}catch{}`;

export default function RootLayout({ children }: { readonly children: ReactNode }) {
  return (
    <html lang="en" data-theme="day" {...(isOpenToOthers() ? { "data-door": true } : {})} suppressHydrationWarning>
      <head>
        <script dangerouslySetInnerHTML={{ __html: themeScript }} />
      </head>
      <body>
        {children}
        <Notices />
        <ItemMenus />
      </body>
    </html>
  );
}
