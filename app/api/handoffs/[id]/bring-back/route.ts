import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { requestBringBack } from "@/server/services/handoffs";

export const dynamic = "force-dynamic";

export const POST = route("POST /api/handoffs/{id}/bring-back", ({ params }) =>
  requestBringBack(database().db, params.id),
);
