import { openApi } from "@/server/http/openapi";
import { route } from "@/server/http/operation";

export const dynamic = "force-dynamic";

export const GET = route("GET /api/openapi.json", async () => ({ ...openApi() }));
