import type { Metadata } from "next";
import { Stems } from "@/ui/stems/stems";

export const metadata: Metadata = { title: "Stems" };

export default function StemsPage() {
  return <Stems />;
}
