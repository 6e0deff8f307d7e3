import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { listProfiles, saveProfile } from "@/server/services/profiles";

export const dynamic = "force-dynamic";

export const GET = route("GET /api/profiles", () => listProfiles(database().db));

export const POST = route("POST /api/profiles", ({ body }) => saveProfile(database().db, body.name, body.body));
