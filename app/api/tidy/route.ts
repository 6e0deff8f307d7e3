import { AudioStore } from "@/server/audio/store";
import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { dataRoot } from "@/server/paths";
import { planTidy, tidy } from "@/server/services/tidy";

export const dynamic = "force-dynamic";

export const GET = route("GET /api/tidy", async () => {
  const root = dataRoot();
  return planTidy(database().db, new AudioStore(root), root);
});

export const POST = route("POST /api/tidy", async () => {
  const root = dataRoot();
  const { db } = database();
  const store = new AudioStore(root);
  const planned = new Date();
  return tidy(db, store, root, await planTidy(db, store, root, planned), planned);
});
