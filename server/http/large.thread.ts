import { parentPort, workerData } from "node:worker_threads";
import type { Operation } from "../../contract/operations";
import { operations } from "../../contract/operations";
import { newSessionBody } from "../../contract/session";
import { connect, databaseUrl } from "../db/connect";
import { log } from "../log";
import { createSession } from "../services/sessions";
import { parseBody } from "./body";
import type { Large, LargeAnswer } from "./large";
import { refusalOf } from "./refusal";

/** The one operation whose whole work is large: see `contract/operations.ts`, `takes: "document"`. */
async function carryOut({
  name,
  text,
}: Pick<Large, "name" | "text">): Promise<{ readonly status: number; readonly value: unknown }> {
  if (name !== "POST /api/sessions") throw new Error(`${name} is not carried out by a thread`);
  const { document, id } = parseBody(text, newSessionBody);
  const { db, pool } = connect(databaseUrl(), 1);
  try {
    return { status: 201, value: await createSession(db, document, id) };
  } finally {
    await pool.end();
  }
}

async function main(): Promise<void> {
  let answer: { readonly status: number; readonly value: unknown };
  const { name, text, only } = workerData as Large;
  try {
    if (only === "read") {
      const { body } = operations[name] as Operation;
      if (body === undefined || body === "audio/wav") throw new Error(`${name} takes no JSON`);
      return parentPort?.postMessage({ read: parseBody(text, body) } satisfies LargeAnswer);
    }
    answer = await carryOut({ name, text });
  } catch (error) {
    const refusal = refusalOf(error);
    if (!refusal) throw error;
    answer = { status: refusal.status, value: { fault: refusal.fault } };
  }
  // A copy of its own: pieces of a pool cannot be handed over.
  const body = new Uint8Array(Buffer.from(JSON.stringify(answer.value)));
  parentPort?.postMessage({ status: answer.status, body } satisfies LargeAnswer, [body.buffer]);
}

main().catch((error: unknown) => {
  log.error({ err: error }, "large request");
  process.exit(1);
});
