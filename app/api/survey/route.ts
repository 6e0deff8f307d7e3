import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { audioStore } from "@/server/services/audio";
import { survey } from "@/server/services/tidy";

export const dynamic = "force-dynamic";

export const GET = route("GET /api/survey", async ({ query }) =>
  survey(database().db, audioStore(), query.verify === "yes"),
);
