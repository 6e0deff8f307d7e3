import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { pathToFileURL } from "node:url";
import { parseArgs } from "node:util";
import type { Handoff } from "../../contract/handoff";
import type { Job } from "../../contract/job";
import { isOver } from "../../contract/job-progress";
import type { ResultOf } from "../../contract/job-kinds";
import type { SessionState } from "../../contract/session";
import { buildAll, CHECKOUT } from "../../scripts/build";
import type { Disposable } from "../../scripts/disposable";
import { startDisposable } from "../../scripts/disposable";
import { ThreadPool } from "../../worker/threads/threads";
import type { Endured, Victim } from "../truth/mutations";
import { endure, victims } from "../truth/mutations";
import { editsWhileExporting, manyWriters } from "./busy";
import { tryDoors } from "./doors";
import { fuzz, fuzzMissing } from "./fuzz";
import { hostsMissing, tryHosts } from "./hosts";
import { killAtRandom } from "./kills";
import { audioVictims, documentVictims } from "./victims";

/** What is promised. */
const LEAST_EDITS_A_SECOND = 150;
const LONGEST_EDIT_MS = { crowded: 500, exporting: 50 };
const LEAST_TIMES_OF_TWO = 1.6;
const LONGEST_READ_MS = 5000;
const MOST_READ_BYTES = 256 << 20;

const { values } = parseArgs({
  options: {
    kills: { type: "string", default: "110" },
    mutations: { type: "string", default: "10000" },
    reader: { type: "string", multiple: true },
    fuzz: { type: "string", default: "500" },
    exports: { type: "string", default: "4" },
    writers: { type: "string", default: "32" },
    seed: { type: "string", default: "18" },
    only: { type: "string", multiple: true },
  },
});
const SEED = Number(values.seed);
const faults: string[] = [];
const fault = (text: string): void => {
  faults.push(text);
  console.log(`  FAULT ${text}`);
};
const isWanted = (part: string): boolean => values.only === undefined || values.only.includes(part);

async function busy(stemzo: Disposable): Promise<void> {
  const { document } = (await (await fetch(`${stemzo.address}/api/sessions/harbour-lamps`)).json()) as SessionState;
  const made = async () => {
    const response = await fetch(`${stemzo.address}/api/sessions`, {
      method: "POST",
      headers: { "content-type": "application/json" },
      body: JSON.stringify({ document }),
    });
    return ((await response.json()) as SessionState).id;
  };
  const tracks = document.tracks.map((t) => t.id);
  const writers = Number(values.writers);
  const many = await manyWriters(stemzo.address, await made(), tracks, { writers, seconds: 20, rebase: true });
  console.log(
    `busy: ${writers} writers on one session: ${many.perSecond.toFixed(0)} edits a second, p95 ${many.p95Ms.toFixed(0)} ms; none of ${many.edits} lost`,
  );
  if (many.perSecond < LEAST_EDITS_A_SECOND) fault(`fewer than ${LEAST_EDITS_A_SECOND} edits a second`);
  if (many.p95Ms > LONGEST_EDIT_MS.crowded) fault(`edits of many take longer than ${LONGEST_EDIT_MS.crowded} ms`);
  const during = await editsWhileExporting(stemzo.address, await made(), tracks[0] ?? "");
  console.log(`  while an export runs: p95 of ${during.edits} edits ${during.p95Ms.toFixed(0)} ms`);
  if (during.p95Ms > LONGEST_EDIT_MS.exporting)
    fault(`edits take longer than ${LONGEST_EDIT_MS.exporting} ms while an export runs`);
}

async function kills(stemzo: Disposable): Promise<void> {
  const found = await killAtRandom(stemzo, { rounds: Number(values.kills), stopEvery: 8, seed: SEED }, (line) =>
    console.log(`  ${line}`),
  );
  console.log(
    `kills: ${found.kills} killed, ${found.stops} stopped (found within ${found.slowestNoticedS.toFixed(1)} s); ${found.edits} acknowledged edits, ${found.jobs} jobs (${found.jobsFailed} failed, with a reason)`,
  );
  for (const reason of found.reasons) console.log(`  failed: ${reason}`);
  found.faults.forEach(fault);
}

async function fuzzed(stemzo: Disposable): Promise<void> {
  const why = fuzzMissing();
  if (why !== null) return console.log(`fuzz: SKIPPED, ${why}`);
  const { requests, wrong } = await fuzz(stemzo.address, {
    examples: Number(values.fuzz),
    phases: "coverage,fuzzing,stateful",
    seed: SEED,
  });
  console.log(`fuzz: ${requests} requests made from the published description`);
  if (wrong !== null) fault(wrong);
}

async function mutations(stemzo: Disposable): Promise<void> {
  const folder = mkdtempSync(join(tmpdir(), "stemzo-trust-"));
  const { worker } = await buildAll("test");
  const pool = new ThreadPool(pathToFileURL(join(CHECKOUT, worker, "task.thread.mjs")));
  try {
    const manifest = await someManifest(stemzo);
    const all: readonly Victim[] = [
      ...(await victims(folder)),
      ...audioVictims(folder, pool),
      ...documentVictims(manifest),
    ];
    const wanted = all.filter(({ name }) => values.reader?.includes(name) ?? true);
    if (wanted.length === 0) throw new Error(`The readers are ${all.map((v) => v.name).join(", ")}.`);
    for (const victim of wanted) told(victim, await endure(victim, Number(values.mutations), SEED));
  } finally {
    await pool.close();
    rmSync(folder, { recursive: true, force: true });
  }
}

function told(victim: Victim, found: Endured): void {
  const { read, refused, slowestMs, mostBytes } = found;
  console.log(
    `  ${victim.name}: ${read} read, ${refused} refused, slowest ${slowestMs.toFixed(0)} ms, ${(mostBytes / 2 ** 20).toFixed(0)} MB more`,
  );
  for (const f of found.faults.slice(0, 3)) fault(`${victim.name}, seed ${f.seed}: ${f.what}`);
  if (slowestMs > LONGEST_READ_MS) fault(`${victim.name} took ${(slowestMs / 1000).toFixed(1)} s`);
  if (mostBytes > MOST_READ_BYTES) fault(`${victim.name} took ${(mostBytes / 2 ** 20).toFixed(0)} MB`);
}

/** The manifest of an export of the demo. */
async function someManifest({ address }: Disposable): Promise<Handoff["manifest"]> {
  const asked = await fetch(`${address}/api/sessions/harbour-lamps/exports`, {
    method: "POST",
    headers: { "content-type": "application/json" },
    body: JSON.stringify({ since: null, full: true }),
  });
  let job = (await asked.json()) as Job;
  while (!isOver(job.status)) {
    await new Promise((r) => setTimeout(r, 200));
    job = (await (await fetch(`${address}/api/jobs/${job.id}`)).json()) as Job;
  }
  const { handoff } = job.result as ResultOf<"export">;
  return ((await (await fetch(`${address}/api/handoffs/${handoff}`)).json()) as Handoff).manifest;
}

async function severalHosts(): Promise<void> {
  const why = hostsMissing();
  if (why !== null) return console.log(`hosts: SKIPPED, ${why}`);
  const found = await tryHosts(Number(values.exports));
  const { takenOverS, backS, stoppedOverS, stoppedBackS, exports, oneS, twoS } = found;
  console.log(
    `hosts: two machines, one database, one bucket (a stand-in); an export was done by the other ${takenOverS.toFixed(0)} s after the cable of the one that had it was pulled, which was back ${backS.toFixed(1)} s after it was put in again`,
  );
  console.log(
    `  of one whose processes were stopped it was done by the other after ${stoppedOverS.toFixed(0)} s; let go on, it was back after ${stoppedBackS.toFixed(1)} s`,
  );
  if (oneS !== null && twoS !== null) {
    const times = oneS / twoS;
    console.log(
      `  ${exports} exports and proofs: one render process ${oneS.toFixed(1)} s, two ${twoS.toFixed(1)} s: ${times.toFixed(2)} times as fast`,
    );
    if (times < LEAST_TIMES_OF_TWO)
      fault(`two render processes are less than ${LEAST_TIMES_OF_TWO} times as fast as one`);
  }
  found.faults.forEach(fault);
}

async function doors(stemzo: Disposable): Promise<void> {
  process.env["STEMZO_DATABASE_URL"] = stemzo.databaseUrl;
  process.env["STEMZO_DATA_ROOT"] = stemzo.dataRoot;
  process.env["STEMZO_WEB_BUILD"] = stemzo.web;
  const wrong = await tryDoors(stemzo.address);
  console.log(`doors: limits, links, redirects and malformed addresses: ${wrong.length} wrong`);
  wrong.forEach(fault);
}

/** What is promised of keeping, of reading with suspicion and of not hanging, tried at random; prints the figures. */
async function main(): Promise<void> {
  const stemzo = await startDisposable();
  try {
    if (isWanted("doors")) await doors(stemzo);
    if (isWanted("busy")) await busy(stemzo);
    if (isWanted("kills")) await kills(stemzo);
    if (isWanted("fuzz")) await fuzzed(stemzo);
    if (isWanted("mutations")) await mutations(stemzo);
  } finally {
    await stemzo.stop();
  }
  if (isWanted("hosts")) await severalHosts();
  console.log(faults.length === 0 ? "Nothing was found." : `${faults.length} faults.`);
  process.exitCode = faults.length === 0 ? 0 : 1;
}

main().catch((error: unknown) => {
  console.error(error);
  process.exitCode = 1;
});
