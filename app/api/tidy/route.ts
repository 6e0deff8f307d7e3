import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { audioStore } from "@/server/services/audio";
import { planTidy, tidy } from "@/server/services/tidy";

export const dynamic = "force-dynamic";

export const GET = route("GET /api/tidy", async () => planTidy(database().db, audioStore()));

export const POST = route("POST /api/tidy", async () => {
  const { db } = database();
  const store = audioStore();
  const planned = new Date();
  return tidy(db, store, await planTidy(db, store, planned), planned);
});
