import { database } from "@/server/db/connect";
import { reply, route } from "@/server/http/operation";
import { enterLink } from "@/server/services/links";

export const dynamic = "force-dynamic";

export const POST = route("POST /api/r/{secret}/enter", async ({ request, params, body }) => {
  const cookie = await enterLink(database().db, request, params.secret, body.passphrase);
  return reply("POST /api/r/{secret}/enter", 200, { ok: true }, { "Set-Cookie": cookie });
});
