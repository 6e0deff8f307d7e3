import { METRICS_TYPE, metricsText } from "@/server/http/metrics";
import { route } from "@/server/http/operation";

export const dynamic = "force-dynamic";

export const GET = route(
  "GET /api/metrics",
  async () => new Response(await metricsText(), { headers: { "Content-Type": METRICS_TYPE } }),
);
