import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { readState } from "@/server/services/sessions";

export const dynamic = "force-dynamic";

export const GET = route("GET /api/sessions/{id}", ({ params }) => readState(database().db, params.id));
