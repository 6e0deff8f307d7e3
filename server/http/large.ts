import { join } from "node:path";
import type { ServiceFault } from "../../contract/job";
import type { OperationName } from "../../contract/operations";
import { Refusal } from "../fault";

/** What a thread is asked: to read and check an operation's body as it was sent, or to carry the operation out. */
export interface Large {
  readonly name: OperationName;
  readonly text: string;
  readonly only: "read" | null;
}

/** The body as it was read; or the whole answer, as bytes. */
export type LargeAnswer =
  { readonly read: unknown } | { readonly status: number; readonly body: Uint8Array<ArrayBuffer> };

/** So many at once: each may take a gigabyte of memory. */
const MOST_AT_ONCE = 2;
const MEMORY_MB = 1536;
const LONGEST_MS = 60_000;

// The built server loads modules more than once: one line of waiting a process.
const holder = globalThis as { stemzoLarge?: { running: number; readonly waiting: (() => void)[] } };
const line = (holder.stemzoLarge ??= { running: 0, waiting: [] });

/**
 * Carries a request with a large document out in a thread of its own, from its text to the text of its answer, so that
 * no other request waits. The thread ends with it, or when it takes too long.
 */
export async function carryOutLarge(name: OperationName, text: string): Promise<Response> {
  const answer = await inLine({ name, text, only: null });
  if (!("body" in answer)) throw new Error(`${name} was read and not carried out`);
  return new Response(answer.body, { status: answer.status, headers: { "Content-Type": "application/json" } });
}

/** Reads and checks a large body in such a thread. Throws `Refusal`. */
export async function readLarge(name: OperationName, text: string): Promise<unknown> {
  const answer = await inLine({ name, text, only: "read" });
  if ("read" in answer) return answer.read;
  const { fault } = JSON.parse(Buffer.from(answer.body).toString()) as { readonly fault: ServiceFault };
  throw new Refusal(answer.status as Refusal["status"], fault);
}

async function inLine(large: Large): Promise<LargeAnswer> {
  if (line.running >= MOST_AT_ONCE) await new Promise<void>((resolve) => line.waiting.push(resolve));
  else line.running++;
  try {
    return await inThread(large);
  } finally {
    const next = line.waiting.shift();
    // The next in the queue takes the place.
    if (next) next();
    else line.running--;
  }
}

function inThread(large: Large): Promise<LargeAnswer> {
  const folder = process.env["STEMZO_THREADS"];
  if (!folder) throw new Error("STEMZO_THREADS is not set: start Stemzo with its own script.");
  return new Promise((resolve, reject) => {
    // It is bundled with the render process: the web server's bundler looks for files of threads, and must not see it.
    const { Worker } = process.getBuiltinModule("node:worker_threads");
    const thread = new Worker(join(folder, "large.thread.mjs"), {
      workerData: large,
      resourceLimits: { maxOldGenerationSizeMb: MEMORY_MB },
    });
    const timer = setTimeout(() => {
      void thread.terminate();
      reject(tooMuch(`takes longer than ${LONGEST_MS / 1000} s to read`));
    }, LONGEST_MS);
    thread.once("message", (answer: LargeAnswer) => resolve(answer));
    thread.once("error", (error: NodeJS.ErrnoException) =>
      reject(error.code === "ERR_WORKER_OUT_OF_MEMORY" ? tooMuch("needs more memory than it is given") : error),
    );
    thread.once("exit", (code) => {
      clearTimeout(timer);
      reject(new Error(`the thread ended with ${code}`));
    });
  });
}

const tooMuch = (why: string): Refusal =>
  new Refusal(413, {
    what: `The document ${why}.`,
    kept: "Nothing was changed.",
    todo: "Send it in smaller parts: a session first, then steps.",
    problems: [],
  });
