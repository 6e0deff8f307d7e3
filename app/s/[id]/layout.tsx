import { notFound } from "next/navigation";
import type { ReactNode } from "react";
import { database } from "@/server/db/connect";
import { Refusal } from "@/server/fault";
import { readState } from "@/server/services/sessions";
import { Frame } from "@/ui/frame/frame";
import { PlaybackProvider } from "@/ui/playback/provider";
import { askingScript, handToPage } from "@/ui/session/page-state";
import { SessionProvider } from "@/ui/session/provider";

export const dynamic = "force-dynamic";

async function stateOf(id: string) {
  try {
    return await readState(database().db, id);
  } catch (error) {
    if (error instanceof Refusal && error.status === 404) notFound();
    throw error;
  }
}

export default async function SessionLayout({
  children,
  params,
}: {
  readonly children: ReactNode;
  readonly params: Promise<{ id: string }>;
}) {
  const { id } = await params;
  const handed = handToPage(await stateOf(id));
  return (
    <>
      <script dangerouslySetInnerHTML={{ __html: askingScript(id, handed) }} />
      <SessionProvider id={id} handed={handed}>
        <PlaybackProvider>
          <Frame>{children}</Frame>
        </PlaybackProvider>
      </SessionProvider>
    </>
  );
}
