import { GuidePage } from "@/ui/guide/guide-page";

export const metadata = { title: "Guide" };

export default function Page() {
  return <GuidePage />;
}
