import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { requestListening } from "@/server/services/prints";

export const dynamic = "force-dynamic";

export const POST = route("POST /api/sessions/{id}/prints/{print}/listen", ({ params: { id, print } }) =>
  requestListening(database().db, id, print),
);
