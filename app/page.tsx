import { database } from "@/server/db/connect";
import { listSessions } from "@/server/services/sessions";
import { SessionList } from "@/ui/frame/session-list";

export const dynamic = "force-dynamic";

export default async function Home() {
  return <SessionList initial={await listSessions(database().db)} />;
}
