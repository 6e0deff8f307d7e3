import { login } from "@/server/access/login";
import { reply, route } from "@/server/http/operation";

export const dynamic = "force-dynamic";

export const POST = route("POST /api/login", async ({ request, body }) =>
  reply("POST /api/login", 200, { ok: true }, { "Set-Cookie": await login(request, body.password) }),
);
