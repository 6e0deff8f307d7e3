import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { requestProof } from "@/server/services/handoffs";

export const dynamic = "force-dynamic";

export const POST = route("POST /api/handoffs/{id}/prove", ({ params }) => requestProof(database().db, params.id));
