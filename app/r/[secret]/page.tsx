import type { Metadata } from "next";
import { Receiver } from "@/ui/receiver/receiver";

export const metadata: Metadata = { title: "A delivery", robots: { index: false, follow: false } };
export const dynamic = "force-dynamic";

/** One handoff, as it is seen without a login. Whether there is one is found out by the page itself. */
export default async function ReceiverPage({ params }: { readonly params: Promise<{ secret: string }> }) {
  return <Receiver secret={(await params).secret} />;
}
