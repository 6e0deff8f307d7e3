import { answer } from "@/server/http/answer";
import { openApi } from "@/server/http/openapi";

export const dynamic = "force-dynamic";

export const GET = answer(async () => Response.json(openApi()));
