import type { Metadata } from "next";
import { Instruments } from "@/ui/instruments/instruments";

export const metadata: Metadata = { title: "Instruments" };

export default function InstrumentsPage() {
  return <Instruments />;
}
