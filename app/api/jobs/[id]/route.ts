import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { readJob } from "@/server/services/jobs";

export const dynamic = "force-dynamic";

export const GET = route("GET /api/jobs/{id}", ({ params }) => readJob(database().db, params.id));
