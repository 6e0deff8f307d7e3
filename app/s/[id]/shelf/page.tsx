import type { Metadata } from "next";
import { Shelf } from "@/ui/shelf/shelf";

export const metadata: Metadata = { title: "Shelf" };

export default function ShelfPage() {
  return <Shelf />;
}
