import type { ChildProcess } from "node:child_process";
import { randomUUID } from "node:crypto";
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "vitest";
import type { ResultOf } from "../contract/job-kinds";
import { AudioStore } from "../server/audio/store";
import { checkpointFolder } from "../server/paths";
import { requestExport } from "../server/services/handoffs";
import { createSession, readState } from "../server/services/sessions";
import { postSteps } from "../server/services/steps";
import type { BucketServer } from "../tests/setup/bucket-server";
import { bucketEnvironment, startBucketServer } from "../tests/setup/bucket-server";
import type { Fresh } from "../tests/setup/fresh";
import { fresh } from "../tests/setup/fresh";
import { toolsMissing } from "../tests/setup/python-tools";
import { ended, over, proven, startRenderProcess } from "../tests/setup/render-process";
import { smallSession, withLateClip } from "../tests/setup/small-session";

const missing = toolsMissing("bucket");
if (missing) console.warn(`Fixes by two workers with one bucket are not tried: ${missing}`);

describe.skipIf(missing !== null)("fixes by two workers with one bucket", () => {
  const before = { ...process.env };
  let server: BucketServer;
  let at: Fresh;
  let roots: readonly string[];
  let worker: ChildProcess | null = null;

  beforeAll(async () => {
    server = await startBucketServer("stemzo");
    Object.assign(process.env, bucketEnvironment(server.address), { STEMZO_STORE: "s3://stemzo/here" });
    at = await fresh();
    roots = [at.dataRoot, mkdtempSync(join(tmpdir(), "stemzo-other-"))];
    for (const root of roots) await new AudioStore(root).prepare(true);
  });
  afterAll(async () => {
    await stop();
    delete process.env["STEMZO_STORE"];
    Object.assign(process.env, before);
    rmSync(roots[1] ?? "", { recursive: true, force: true });
    await at.close();
    await server.stop();
  });

  const stop = async () => {
    worker?.kill("SIGKILL");
    if (worker) await ended(worker);
    worker = null;
  };
  /** From now on one of the two machines works. */
  const workOn = async (machine: number) => {
    await stop();
    worker = await startRenderProcess({ ...at, dataRoot: roots[machine]! });
  };
  const forget = (machine: number) => rmSync(checkpointFolder(roots[machine]!), { recursive: true, force: true });
  const moveLateClip = async (id: string, seconds: number) => {
    const { revision, document } = await readState(at.db, id);
    const step = {
      label: "Move clip",
      edits: [
        {
          do: "set",
          in: "clips",
          track: "surf",
          id: "late",
          patch: { start: Math.round(seconds * document.rate) },
        } as const,
      ],
    };
    await postSteps(at.db, id, revision, [{ id: randomUUID(), step }]);
  };
  const exported = async (id: string) => {
    const job = await over(at, (await requestExport(at.db, id, { since: null, full: true })).id);
    expect(job.fault).toBeNull();
    const { manifest, proof } = await proven(at, job.id);
    expect(proof.verdict.checks.flatMap((c) => c.cells.filter((cell) => cell.mark === "wrong"))).toEqual([]);
    return {
      since: (job.result as ResultOf<"export">).since?.at ?? null,
      files: manifest.files.map((f) => [f.name, f.sha256]),
    };
  };
  test("are right whichever of them has which checkpoints, and go on only from what is there", async () => {
    const { id } = await createSession(at.db, withLateClip(await smallSession(at), 40));
    const made: (readonly [string, Awaited<ReturnType<typeof exported>>])[] = [];
    await workOn(0);
    made.push(["first", await exported(id)]);
    await moveLateClip(id, 41);
    await workOn(1);
    made.push(["other machine", await exported(id)]);
    await moveLateClip(id, 42.5);
    made.push(["other machine again", await exported(id)]);
    await workOn(0);
    // The checkpoints here are of two edits ago.
    made.push(["back", await exported(id)]);
    forget(0);
    const whole = await exported(id);
    expect(made.map(([name, { since }]) => [name, since !== null])).toEqual([
      ["first", false],
      ["other machine", false],
      ["other machine again", true],
      ["back", true],
    ]);
    for (const [name, { files }] of made.slice(2)) expect([name, files]).toEqual([name, whole.files]);
  }, 300_000);
});
