import type { ChildProcess } from "node:child_process";
import { spawn } from "node:child_process";
import { createHash } from "node:crypto";
import { chmodSync, mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import pg from "pg";
import type { Job } from "../../contract/job";
import { isOver } from "../../contract/job-progress";
import type { Running } from "../../contract/running";
import { DEMO_ID } from "../../contract/demo-id";
import { seedDemo } from "../../demo/seed";
import { CHECKOUT } from "../../scripts/build";
import { startDatabase } from "../../scripts/database";
import { startDisposable } from "../../scripts/disposable";
import { AudioStore } from "../../server/audio/store";
import { connect } from "../../server/db/connect";
import { migrateDatabase } from "../../server/db/migrate";
import { childrenOf } from "../../server/processes";
import { bucketEnvironment, startBucketServer } from "../setup/bucket-server";
import type { HostFigures } from "./hosts";
import type { Host } from "./namespaces";
import { HUB_ADDRESS, hosts } from "./namespaces";

const PASSWORD = "a word that passes";
const POLL_MS = 100;
/** A machine has two thirds of a processor, and the jobs of both wait for one of them. */
const LONGEST_JOB_MS = 480_000;
/** The demo is as old in both places, so that what is exported of it says the same dates. */
const MADE_AT = "2026-01-02T03:04:05Z";

/** A Stemzo, as one asks it over the network. */
class Address {
  private cookie = "";

  constructor(readonly url: string) {}

  async login(): Promise<void> {
    const answer = await this.ask("/api/login", { password: PASSWORD });
    this.cookie = (answer.headers.get("set-cookie") ?? "").split(";")[0] ?? "";
  }

  /** The same person, at another address of the same installation. */
  at(url: string): Address {
    const other = new Address(url);
    other.cookie = this.cookie;
    return other;
  }

  ask(path: string, body?: unknown): Promise<Response> {
    return fetch(this.url + path, {
      ...(body === undefined ? {} : { method: "POST", body: JSON.stringify(body) }),
      headers: { "content-type": "application/json", cookie: this.cookie },
      redirect: "manual",
    });
  }

  async json<T>(path: string, body?: unknown): Promise<T> {
    const answer = await this.ask(path, body);
    if (!answer.ok) throw new Error(`${path}: ${answer.status} ${await answer.text()}`);
    return (await answer.json()) as T;
  }

  export(): Promise<Job> {
    return this.json<Job>(`/api/sessions/${DEMO_ID}/exports`, { since: null, full: true });
  }

  async over(job: Job): Promise<Job> {
    const deadline = Date.now() + LONGEST_JOB_MS;
    for (let now = job; ; await pause(POLL_MS)) {
      now = await this.json<Job>(`/api/jobs/${job.id}`);
      if (now.status === "done") return now;
      if (isOver(now.status) || Date.now() > deadline)
        throw new Error(`the export is ${now.status}: ${JSON.stringify([now.fault, now.attempts, now.progress])}`);
    }
  }

  /** Digest of a finished export's package. */
  async digest(job: Job): Promise<string> {
    const answer = await this.ask(`/api/handoffs/${job.id}/package`);
    if (!answer.ok) throw new Error(`the package: ${answer.status}`);
    return createHash("sha256")
      .update(Buffer.from(await answer.arrayBuffer()))
      .digest("hex");
  }
}

const pause = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));

/** What runs on a machine. */
interface OnMachine {
  readonly address: string;
  readonly child: ChildProcess;
}

/** Starts parts on a machine; `share`: what is put in front, so that they have but a part of the processors. */
async function startOn(
  host: Host,
  parts: readonly string[],
  environment: Readonly<Record<string, string>>,
  share: readonly string[],
): Promise<OnMachine> {
  const [program = "", ...args] = [
    ...share,
    ...host.through,
    join(CHECKOUT, "node_modules/.bin/tsx"),
    join(CHECKOUT, "tests/trust/host-part.ts"),
    ...parts,
  ];
  const data = mkdtempSync(join(tmpdir(), `${host.name}-`));
  const child = spawn(program, args, {
    cwd: CHECKOUT,
    env: { ...process.env, ...environment, STEMZO_DATA: data, STEMZO_HOST: host.address, STEMZO_PASSWORD: PASSWORD },
    stdio: ["ignore", "pipe", "inherit"],
  });
  child.once("exit", () => rmSync(data, { recursive: true, force: true }));
  const address = await new Promise<string>((resolve, reject) => {
    child.stdout.on("data", (text: Buffer) => {
      const [, said] = /^up (.*)$/m.exec(text.toString()) ?? [];
      if (said !== undefined) resolve(said);
    });
    child.once("exit", (code) => reject(new Error(`${host.name} ended with ${code ?? "a signal"}`)));
  });
  return { address, child };
}

/** A process and all that it has started, and they. */
const allOf = (pid: number): readonly number[] => [pid, ...childrenOf(pid).flatMap((c) => allOf(c.pid))];

const stop = ({ child }: OnMachine): Promise<void> =>
  new Promise((resolve) => {
    if (child.exitCode !== null || child.signalCode !== null) return resolve();
    child.once("exit", () => resolve());
    // One that is held up would never hear of it.
    for (const pid of allOf(child.pid ?? 0)) process.kill(pid, "SIGCONT");
    child.kill("SIGTERM");
  });

/** Seconds in which the exports and their proofs are done by the workers that are there. */
async function throughput(at: Address, exports: number): Promise<number> {
  const began = performance.now();
  const jobs = await Promise.all(Array.from({ length: exports }, () => at.export()));
  for (const job of jobs) await at.over(job);
  for (;;) {
    const { jobs: counts } = (await at.json<Running>("/api/running")).now ?? { jobs: null };
    if (counts && counts.waiting + counts.running === 0) return (performance.now() - began) / 1000;
    await pause(POLL_MS);
  }
}

async function main(): Promise<void> {
  const exports = Number(process.argv[2] ?? 0);
  const shares = JSON.parse(process.argv[3] ?? "[]") as readonly (readonly string[])[];
  const folder = mkdtempSync(join(tmpdir(), "stemzo-hub-"));
  // The database's own user comes through.
  chmodSync(folder, 0o755);
  const faults: string[] = [];
  const fault = (text: string) => void faults.push(text);
  const single = await startDisposable();
  const alone = new Address(single.address);
  await made(single.databaseUrl);
  const wanted = await alone.digest(await alone.over(await alone.export()));
  await single.stop();

  const bucket = await startBucketServer("stemzo", { host: HUB_ADDRESS });
  const database = await startDatabase(join(folder, "database"), { disposable: true, alsoOn: HUB_ADDRESS });
  const databaseUrl = database.url.replace("127.0.0.1", HUB_ADDRESS);
  const environment = {
    ...bucketEnvironment(bucket.address),
    STEMZO_DATABASE_URL: databaseUrl,
    STEMZO_STORE: "s3://stemzo/studio",
    STEMZO_LOG: process.env["STEMZO_LOG"] ?? "silent",
  };
  Object.assign(process.env, environment);
  const seeding = connect(databaseUrl, 2);
  await migrateDatabase(seeding);
  await new AudioStore(folder).prepare(true);
  await seedDemo(seeding.db, folder);
  await seeding.pool.end();
  await made(databaseUrl);
  const watching = new pg.Client({ connectionString: databaseUrl });
  await watching.connect();
  const query = async <T extends pg.QueryResultRow>(text: string, ...values: readonly unknown[]): Promise<T[]> =>
    (await watching.query<T>(text, [...values])).rows;
  const pools = async () =>
    (await query<{ pool_id: string }>("select pool_id from render_processes")).map((r) => r.pool_id);

  const [one, two] = hosts() as [Host, Host];
  const running: OnMachine[] = [];
  try {
    const first = await startOn(one, ["web", "render"], environment, shares[0] ?? []);
    running.push(first);
    const at = new Address(first.address);
    await at.login();
    const secondWeb = await startOn(two, ["web"], environment, []);
    running.push(secondWeb);
    const beside = at.at(secondWeb.address);
    if (!(await beside.ask("/api/sessions")).ok) fault("who came in at one web server is not let in by the other");

    const byOne = await at.over(await at.export());
    const ofOne = await beside.digest(byOne);
    if (ofOne !== wanted) fault("what one machine exports differs from what a single one does");
    const oneS = exports > 0 ? await throughput(at, exports) : null;

    const known = new Set(await pools());
    const second = await startOn(two, ["render"], environment, shares[1] ?? []);
    running.push(second);
    for (let tries = 0; (await pools()).length < 2; tries++) {
      if (tries > 300) throw new Error("the second machine does not announce itself");
      await pause(POLL_MS);
    }
    // The first has done work before it is timed; so has the second.
    if (exports > 0) await throughput(at, 2);
    const twoS = exports > 0 ? await throughput(at, exports) : null;

    /** Takes the second machine away while it renders, and gives it back when its job was done by the other. */
    const without = async (what: string, away: () => void, back: () => void) => {
      const poolsOfTwo = (await pools()).filter((p) => !known.has(p));
      let job: Job | null = null;
      const others: Job[] = [];
      for (let tries = 0; job === null; tries++) {
        if (tries > 20) throw new Error("the second machine takes no job");
        others.push(await at.export());
        // Each further export makes the queue longer that the job taken over has to wait in.
        for (let looks = 0; looks < 80 && job === null; looks++) {
          await pause(POLL_MS);
          const [held] = await query<{ id: string }>(
            `select j.id from jobs j join graphile_worker._private_jobs p on p.key = j.id
             where j.status = 'running' and j.request->>'kind' = 'export' and (j.progress->>'done')::float8 > 0.1
               and p.locked_by = any($1)`,
            poolsOfTwo,
          );
          if (held) job = await at.json<Job>(`/api/jobs/${held.id}`);
        }
      }
      away();
      const gone = performance.now();
      const finished = await at.over(job);
      const overS = (performance.now() - gone) / 1000;
      if (finished.attempts < 2) fault(`the job of the machine that was ${what} was not begun again`);
      if ((await at.digest(finished)) !== wanted) fault("what was taken over differs from what a single machine makes");
      for (const other of others) if ((await at.digest(await at.over(other))) !== wanted) fault("an export differs");
      back();
      const healed = performance.now();
      const isBack = async () => (await pools()).some((p) => !known.has(p) && !poolsOfTwo.includes(p));
      for (let tries = 0; !(await isBack()); tries++) {
        if (tries > 600) {
          fault(`the machine that was ${what} did not come back`);
          break;
        }
        await pause(POLL_MS);
      }
      return { overS, backS: (performance.now() - healed) / 1000 };
    };
    const { overS: takenOverS, backS } = await without(
      "cut off",
      () => two.cutOff(true),
      () => two.cutOff(false),
    );
    const signalled = (signal: NodeJS.Signals) => () => {
      for (const pid of allOf(second.child.pid ?? 0)) process.kill(pid, signal);
    };
    const stopped = await without("stopped", signalled("SIGSTOP"), signalled("SIGCONT"));
    const again = await at.over(await at.export());
    if ((await beside.digest(again)) !== wanted) fault("an export behind the cut differs");
    const [left] = await query<{ n: string }>("select count(*) as n from jobs where status = 'failed'");
    if (Number(left?.n) > 0) fault(`${left?.n ?? ""} jobs failed`);

    if ((await beside.ask("/api/logout", {})).status !== 200) fault("signing out fails");
    for (const place of [at, beside])
      if ((await place.ask("/api/sessions")).status !== 401) fault("a cookie is good after signing out");
    const figures: HostFigures = {
      ...{ takenOverS, backS, stoppedOverS: stopped.overS, stoppedBackS: stopped.backS },
      ...{ oneS, twoS, exports, faults },
    };
    console.log(`FIGURES ${JSON.stringify(figures)}`);
  } finally {
    await watching.end().catch(() => undefined);
    for (const part of running) await stop(part);
    database.stop();
    await bucket.stop();
    rmSync(folder, { recursive: true, force: true });
  }
}

async function made(databaseUrl: string): Promise<void> {
  const client = new pg.Client({ connectionString: databaseUrl });
  await client.connect();
  await client.query("update sessions set made_at = $1", [MADE_AT]);
  await client.query("update steps set made_at = $1", [MADE_AT]);
  await client.end();
}

main().then(
  () => process.exit(0),
  (error: unknown) => {
    console.error(error);
    process.exit(1);
  },
);
