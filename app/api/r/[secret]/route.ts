import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { readDelivery } from "@/server/services/links";

export const dynamic = "force-dynamic";

export const GET = route("GET /api/r/{secret}", ({ request, params }) =>
  readDelivery(database().db, request, params.secret),
);
