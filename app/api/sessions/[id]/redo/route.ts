import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { travel } from "@/server/services/steps";

export const dynamic = "force-dynamic";

export const POST = route("POST /api/sessions/{id}/redo", ({ params }) => travel(database().db, params.id, "redo"));
