import { logout } from "@/server/access/login";
import { reply, route } from "@/server/http/operation";

export const dynamic = "force-dynamic";

export const POST = route("POST /api/logout", async ({ request }) =>
  reply("POST /api/logout", 200, { ok: true }, { "Set-Cookie": await logout(request) }),
);
