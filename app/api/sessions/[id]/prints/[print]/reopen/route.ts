import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { reopen } from "@/server/services/prints";

export const dynamic = "force-dynamic";

export const POST = route("POST /api/sessions/{id}/prints/{print}/reopen", ({ params: { id, print } }) =>
  reopen(database().db, id, print),
);
