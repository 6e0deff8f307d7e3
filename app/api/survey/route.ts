import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { dataRoot } from "@/server/paths";
import { survey } from "@/server/services/tidy";

export const dynamic = "force-dynamic";

export const GET = route("GET /api/survey", async ({ query }) =>
  survey(database().db, dataRoot(), query.verify === "yes"),
);
