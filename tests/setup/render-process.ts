import type { ChildProcess } from "node:child_process";
import { spawn } from "node:child_process";
import { join } from "node:path";
import { inject } from "vitest";
import type { Handoff } from "../../contract/handoff";
import type { Job } from "../../contract/job";
import { isOver } from "../../contract/job-progress";
import type { Proof } from "../../core/proof/proof";
import { readHandoff } from "../../server/services/handoffs";
import { readJob } from "../../server/services/jobs";
import type { Fresh } from "./fresh";

/**
 * What render processes said of queries that were begun on a connection that still answered another: an error in the
 * driver's next version.
 */
export const crowded: string[] = [];

/** Starts a real render process on a fresh database. Resolves when it says it is ready. */
export function startRenderProcess({ url, dataRoot }: Fresh): Promise<ChildProcess> {
  const child = spawn(process.execPath, ["--enable-source-maps", join(inject("workerFolder"), "main.mjs")], {
    // It says in its log that it is ready.
    env: { ...process.env, STEMZO_DATABASE: url, STEMZO_DATA: dataRoot, STEMZO_LOG: "info" },
    stdio: ["ignore", "pipe", "pipe"],
  });
  child.stderr.on("data", (text: Buffer) => {
    process.stderr.write(text);
    if (text.toString().includes("already executing a query")) crowded.push(text.toString());
  });
  return new Promise((resolve, reject) => {
    child.stdout.on("data", (text: Buffer) => {
      if (text.toString().includes("render process ready")) resolve(child);
      if (text.toString().includes('"level":"error"')) process.stderr.write(text);
    });
    child.once("exit", (code) => reject(new Error(`the render process ended with ${code}`)));
  });
}

export const ended = (child: ChildProcess): Promise<void> =>
  child.exitCode !== null || child.signalCode !== null
    ? Promise.resolve()
    : new Promise((resolve) => child.once("exit", () => resolve()));

/** Waits until a job is what `wanted` says; looks at the database, as everyone else does. */
export async function until({ db }: Fresh, id: string, wanted: (job: Job) => boolean, withinMs = 60_000): Promise<Job> {
  const deadline = Date.now() + withinMs;
  for (;;) {
    const job = await readJob(db, id);
    if (wanted(job)) return job;
    if (Date.now() > deadline)
      throw new Error(`job ${id} is ${job.status} after ${withinMs} ms: ${JSON.stringify(job.fault ?? job.progress)}`);
    await new Promise((resolve) => setTimeout(resolve, 20));
  }
}

/** A finished export with its proof, once that is there. */
export async function proven(
  { db }: Fresh,
  id: string,
  withinMs = 60_000,
): Promise<Handoff & { readonly proof: Proof }> {
  const deadline = Date.now() + withinMs;
  for (;;) {
    const handoff = await readHandoff(db, id);
    if (handoff.proof) return { ...handoff, proof: handoff.proof };
    if (Date.now() > deadline) throw new Error(`handoff ${id} is not proven after ${withinMs} ms`);
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
}

export const over = (fresh: Fresh, id: string): Promise<Job> => until(fresh, id, (job) => isOver(job.status));
