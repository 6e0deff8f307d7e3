import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { listLinks, makeLink } from "@/server/services/links";

export const dynamic = "force-dynamic";

export const GET = route("GET /api/handoffs/{id}/links", ({ params }) => listLinks(database().db, params.id));

export const POST = route("POST /api/handoffs/{id}/links", ({ params, body }) =>
  makeLink(database().db, params.id, body),
);
