import { sql } from "drizzle-orm";
import { Gauge, Histogram, Registry, collectDefaultMetrics } from "prom-client";
import { database } from "../db/connect";
import { health } from "../services/health";
import { runningState } from "../services/running";

interface Metrics {
  readonly registry: Registry;
  readonly requests: Histogram<"method" | "path" | "status">;
}

/** Upper bounds in seconds: an edit takes milliseconds, the sum of a long survey seconds. */
const BUCKETS_S = [0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.25, 0.5, 1, 2.5, 10];

// The built server loads modules more than once: what is counted is counted once a process.
const holder = globalThis as { stemzoMetrics?: Metrics };

function metrics(): Metrics {
  if (holder.stemzoMetrics) return holder.stemzoMetrics;
  const registry = new Registry();
  collectDefaultMetrics({ register: registry, prefix: "stemzo_web_" });
  const requests = new Histogram({
    name: "stemzo_request_seconds",
    help: "Seconds until a request under /api is answered",
    labelNames: ["method", "path", "status"],
    buckets: BUCKETS_S,
    registers: [registry],
  });
  return (holder.stemzoMetrics = { registry, requests });
}

/** Counts a request; `path`: as the operation is published, with no names of anything in it. */
export const countRequest = (method: string, path: string, status: number, seconds: number): void =>
  metrics().requests.observe({ method, path, status: String(status) }, seconds);

/** What this process has counted by itself. */
export const countedText = (): Promise<string> => metrics().registry.metrics();

/**
 * Everything that is measured, in the text format that Prometheus reads. Jobs, queue and store are asked of the
 * database: whichever web server is asked tells the same of them.
 */
export async function metricsText(): Promise<string> {
  const shared = new Registry();
  const gauge = (name: string, help: string, value: number) =>
    new Gauge({ name, help, registers: [shared] }).set(value);
  const isUp = (await health()).database.ok;
  gauge("stemzo_database_up", "Whether the database answers", isUp ? 1 : 0);
  // What this process has counted is told all the same.
  if (!isUp) return `${await countedText()}\n${await shared.metrics()}`;
  const { db } = database();
  const state = await runningState(db);
  const jobs = new Gauge({ name: "stemzo_jobs", help: "Jobs by state", labelNames: ["state"], registers: [shared] });
  for (const [status, count] of Object.entries(state.jobs)) jobs.set({ state: status }, count);
  gauge("stemzo_queue_age_seconds", "Since the oldest job that waits was asked for", state.oldestS ?? 0);
  gauge("stemzo_render_speed", "Audio time over wall time of the last exports, their median", state.speed ?? 0);
  gauge("stemzo_store_bytes", "Bytes of all audio in the store", state.storeBytes);
  gauge("stemzo_disk_free_bytes", "Bytes free where the store is", state.disk.freeBytes);
  gauge("stemzo_workers", "Render processes that told lately that they live", state.workers.length);
  const { rows } = await db.execute<{ bytes: string }>(sql`select pg_database_size(current_database()) as bytes`);
  gauge("stemzo_database_bytes", "Bytes of the database", Number(rows[0]?.bytes ?? 0));
  return `${await countedText()}\n${await shared.metrics()}`;
}

export const METRICS_TYPE = Registry.PROMETHEUS_CONTENT_TYPE;
