import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { cancelJob } from "@/server/services/jobs";

export const dynamic = "force-dynamic";

export const POST = route("POST /api/jobs/{id}/cancel", ({ params }) => cancelJob(database().db, params.id));
