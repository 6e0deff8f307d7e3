import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { documentOfPoint } from "@/server/services/history";

export const dynamic = "force-dynamic";

export const GET = route("GET /api/sessions/{id}/history/{revision}", ({ params }) =>
  documentOfPoint(database().db, params.id, params.revision),
);
