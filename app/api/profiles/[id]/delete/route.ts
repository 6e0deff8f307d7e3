import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { deleteProfile } from "@/server/services/profiles";

export const dynamic = "force-dynamic";

export const POST = route("POST /api/profiles/{id}/delete", ({ params }) => deleteProfile(database().db, params.id));
