import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { revokeLink } from "@/server/services/links";

export const dynamic = "force-dynamic";

export const POST = route("POST /api/links/{id}/revoke", ({ params }) => revokeLink(database().db, params.id));
