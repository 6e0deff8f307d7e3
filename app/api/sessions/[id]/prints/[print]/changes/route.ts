import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { changesSince } from "@/server/services/prints";

export const dynamic = "force-dynamic";

export const GET = route("GET /api/sessions/{id}/prints/{print}/changes", ({ params: { id, print } }) =>
  changesSince(database().db, id, print),
);
