import { randomUUID } from "node:crypto";
import { existsSync, readdirSync } from "node:fs";
import { join } from "node:path";
import pg from "pg";
import type { Health } from "../../contract/health";
import type { Job } from "../../contract/job";
import { isOver } from "../../contract/job-progress";
import type { SessionState } from "../../contract/session";
import type { Survey } from "../../contract/tidy";
import type { Disposable } from "../../scripts/disposable";
import { few } from "../setup/few";
import { randomOf } from "../truth/mutations";
import type { Victim } from "./processes";
import { VICTIMS, processesOf } from "./processes";

/** A client waits for one answer at most this long. */
const PATIENCE_MS = 5000;
/** All of it has to run again by then. */
const LONGEST_BACK_MS = 120_000;
/** What is stopped is found by then. */
const LONGEST_NOTICED_S = 30;
const CLIENTS = 4;
/** After so many edits of its own a client asks for an export or a freeze, where nothing else is said. */
const JOB_EVERY = 60;

export interface KillFigures {
  readonly kills: number;
  readonly stops: number;
  readonly edits: number;
  readonly jobs: number;
  readonly jobsFailed: number;
  /** Why they failed. */
  readonly reasons: readonly string[];
  /** Seconds until a stopped process was found at a loss and ended, at most. */
  readonly slowestNoticedS: number;
  /** Acknowledged and gone, ended without a reason, left over. */
  readonly faults: readonly string[];
}

/** A client that edits, freezes and exports whatever happens, and knows what was acknowledged. */
class Client {
  readonly acknowledged: string[] = [];
  readonly jobs: string[] = [];
  private n = 0;

  constructor(
    private readonly address: string,
    readonly session: string,
    private readonly tracks: readonly string[],
    private readonly jobEvery: number,
  ) {}

  async work(goesOn: () => boolean): Promise<void> {
    let base = 0;
    while (goesOn()) {
      this.n++;
      const track = this.tracks[this.n % this.tracks.length] ?? "";
      const step = {
        label: "Fader",
        edits: [{ do: "set", in: "tracks", id: track, patch: { faderDb: -((this.n % 500) / 10) } }],
      };
      const id = `${this.session}-${this.n}`;
      const stored = await this.until(goesOn, "edits", { base, steps: [{ id, step }] });
      if (!stored) return;
      this.acknowledged.push(id);
      base = (stored as { revision: number }).revision;
      if (this.n % this.jobEvery !== 0) continue;
      const [path, body] =
        this.n % (2 * this.jobEvery) === 0
          ? ["freeze", { tracks: this.tracks.slice(0, 1) }]
          : ["exports", { since: null, full: true }];
      const job = (await this.once(path as string, body)) as Job | null;
      if (job) this.jobs.push(job.id);
    }
  }

  /** Sends until it is acknowledged; the same edit is stored once. */
  private async until(goesOn: () => boolean, path: string, body: unknown): Promise<unknown> {
    while (goesOn()) {
      const stored = await this.once(path, body);
      if (stored) return stored;
      await new Promise((r) => setTimeout(r, 100));
    }
    return null;
  }

  private async once(path: string, body: unknown): Promise<unknown> {
    try {
      const response = await fetch(`${this.address}/api/sessions/${this.session}/${path}`, {
        method: "POST",
        headers: { "content-type": "application/json" },
        body: JSON.stringify(body),
        signal: AbortSignal.timeout(PATIENCE_MS),
      });
      if (response.ok) return await response.json();
      // 5xx while something is away; anything else is no fault of the kill.
      if (response.status < 500) throw new Refused(`${path}: ${response.status} ${await response.text()}`);
    } catch (error) {
      if (error instanceof Refused) throw error;
    }
    return null;
  }
}
class Refused extends Error {}

/** Ends or stops a process at a random moment, so many times, while clients work; then looks at what is there. */
export async function killAtRandom(
  stemzo: Pick<Disposable, "address" | "dataRoot" | "databaseFolder" | "databaseUrl">,
  {
    rounds,
    stopEvery,
    seed,
    jobEvery = JOB_EVERY,
  }: { readonly rounds: number; readonly stopEvery: number; readonly seed: number; readonly jobEvery?: number },
  tell: (line: string) => void = () => undefined,
): Promise<KillFigures> {
  const { address } = stemzo;
  const faults: string[] = [];
  // A connection kept from before may be gone: asked again.
  const ask = () => fetch(`${address}/api/sessions/harbour-lamps`);
  const demo = (await (await ask().catch(ask)).json()) as SessionState;
  const small = few(demo.document, ["buoy"]);
  const clients: Client[] = [];
  for (let c = 0; c < CLIENTS; c++) {
    const made = await fetch(`${address}/api/sessions`, {
      method: "POST",
      headers: { "content-type": "application/json" },
      body: JSON.stringify({ id: `kill-${randomUUID()}`, document: small }),
    });
    if (!made.ok) throw new Error(await made.text());
    clients.push(new Client(address, ((await made.json()) as SessionState).id, ["buoy", "quay", "mix"], jobEvery));
  }
  let goesOn = true;
  const working = Promise.all(clients.map((c) => c.work(() => goesOn)));
  working.catch(() => undefined);
  const random = randomOf(seed);
  let [kills, stops, slowestNoticedS] = [0, 0, 0];
  for (let round = 1; round <= rounds; round++) {
    await new Promise((r) => setTimeout(r, 200 + random(2500)));
    const victim = VICTIMS[random(VICTIMS.length)] as Victim;
    const isStop = round % stopEvery === 0;
    // One that has just ended by itself is being started again: a round that hits nothing is none.
    let hit = processesOf(victim, stemzo);
    for (; hit.length === 0; hit = processesOf(victim, stemzo)) await new Promise((r) => setTimeout(r, 100));
    for (const pid of hit) {
      try {
        process.kill(pid, isStop ? "SIGSTOP" : "SIGKILL");
      } catch {
        // It ended by itself meanwhile.
      }
    }
    if (isStop) stops++;
    else kills++;
    const began = performance.now();
    // The watchdog ends it.
    while (hit.some((pid) => existsSync(`/proc/${pid}`)) && performance.now() - began < LONGEST_BACK_MS)
      await new Promise((r) => setTimeout(r, 50));
    const noticedS = (performance.now() - began) / 1000;
    if (isStop) slowestNoticedS = Math.max(slowestNoticedS, noticedS);
    if (isStop && noticedS > LONGEST_NOTICED_S)
      faults.push(`round ${round}: the stopped ${victim} was found after ${noticedS.toFixed(1)} s`);
    // For a moment all may look well still.
    await new Promise((r) => setTimeout(r, 700));
    while (!(await isWell(address))) {
      if (performance.now() - began > LONGEST_BACK_MS) {
        faults.push(`round ${round}: the ${victim} was ${isStop ? "stopped" : "killed"} and is not back`);
        break;
      }
      await new Promise((r) => setTimeout(r, 200));
    }
    const backS = (performance.now() - began) / 1000;
    tell(`${round}: ${victim} ${isStop ? "stopped" : "killed"}, all stands after ${backS.toFixed(1)} s`);
  }
  goesOn = false;
  await working;
  const jobs = clients.flatMap((c) => c.jobs);
  let jobsFailed = 0;
  const reasons = new Set<string>();
  for (const id of jobs) {
    const job = await over(address, id);
    if (!job) faults.push(`job ${id} does not end`);
    else if (job.status === "failed") {
      jobsFailed++;
      if (job.fault?.what) reasons.add(job.fault.what);
      else faults.push(`job ${id} failed without a reason`);
    }
  }
  const client = new pg.Client({ connectionString: stemzo.databaseUrl });
  await client.connect();
  try {
    for (const c of clients) {
      const { rows } = await client.query<{ step_id: string }>("select step_id from steps where session_id = $1", [
        c.session,
      ]);
      const there = new Set(rows.map((r) => r.step_id));
      const lost = c.acknowledged.filter((id) => !there.has(id));
      if (lost.length > 0) faults.push(`${lost.length} acknowledged edits are gone, ${lost[0] ?? ""} the first`);
      if (there.size !== rows.length) faults.push("an edit is stored twice");
      const read = await fetch(`${address}/api/sessions/${c.session}`);
      if (!read.ok) faults.push(`session ${c.session} cannot be read: ${read.status}`);
    }
  } finally {
    await client.end();
  }
  const survey = (await (await fetch(`${address}/api/survey?verify=yes`)).json()) as Survey;
  for (const what of ["lost", "unknown", "damaged", "packagesLost"] as const)
    if (survey[what].length > 0) faults.push(`${survey[what].length} ${what}, ${survey[what][0] ?? ""} the first`);
  const unfinished = readdirSync(join(stemzo.dataRoot, "unfinished")).length;
  if (unfinished > 0) faults.push(`${unfinished} unfinished files are left`);
  return {
    ...{ kills, stops, slowestNoticedS, jobsFailed, faults, reasons: [...reasons] },
    edits: clients.reduce((n, c) => n + c.acknowledged.length, 0),
    jobs: jobs.length,
  };
}

async function isWell(address: string): Promise<boolean> {
  try {
    const response = await fetch(`${address}/api/health`, { signal: AbortSignal.timeout(2500) });
    return ((await response.json()) as Health).ok;
  } catch {
    return false;
  }
}

async function over(address: string, id: string): Promise<Job | null> {
  const until = performance.now() + LONGEST_BACK_MS;
  while (performance.now() < until) {
    const job = (await (await fetch(`${address}/api/jobs/${id}`)).json()) as Job;
    if (isOver(job.status)) return job;
    await new Promise((r) => setTimeout(r, 250));
  }
  return null;
}
