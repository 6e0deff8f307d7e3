import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { readHandoff } from "@/server/services/handoffs";

export const dynamic = "force-dynamic";

export const GET = route("GET /api/handoffs/{id}", ({ params }) => readHandoff(database().db, params.id));
