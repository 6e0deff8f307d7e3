import type { Metadata } from "next";
import { Bench } from "@/ui/bench/bench";

export const metadata: Metadata = { title: "Bench" };

export default function BenchPage() {
  return <Bench />;
}
