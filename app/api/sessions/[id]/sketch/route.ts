import { sketchOf } from "@/core/session/sketch";
import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { readDocument } from "@/server/services/sessions";

export const dynamic = "force-dynamic";

export const GET = route("GET /api/sessions/{id}/sketch", async ({ params }) =>
  sketchOf((await readDocument(database().db, params.id)).document),
);
