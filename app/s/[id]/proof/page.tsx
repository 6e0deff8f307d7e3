import type { Metadata } from "next";
import { Proof } from "@/ui/proof/proof";

export const metadata: Metadata = { title: "Proof" };

export default function ProofPage() {
  return <Proof />;
}
