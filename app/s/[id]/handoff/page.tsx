import type { Metadata } from "next";
import { HandoffScreen } from "@/ui/handoff/handoff";

export const metadata: Metadata = { title: "Handoff" };

export default function HandoffPage() {
  return <HandoffScreen />;
}
