/** What can be told while it works, on the error output: `STEMZO_DEBUG=documents,engine` switches it on. */
export type DebugTopic =
  /** How passes are divided between threads. */
  | "engine"
  /** Documents that are read anew, and snapshots that are written. */
  | "documents";

const on = new Set((process.env["STEMZO_DEBUG"] ?? "").split(",").map((topic) => topic.trim()));

/** Says something of a topic that is switched on; `say` is not called otherwise. */
export function debug(topic: DebugTopic, say: () => string): void {
  if (on.has(topic) || on.has("all")) console.error(`[${topic}] ${say()}`);
}
