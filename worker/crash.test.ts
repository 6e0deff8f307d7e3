import type { ChildProcess } from "node:child_process";
import { existsSync, readdirSync, rmSync } from "node:fs";
import { join } from "node:path";
import { inArray } from "drizzle-orm";
import { afterAll, beforeAll, describe, expect, test } from "vitest";
import { isOver } from "../contract/job-progress";
import { plainSlip } from "../core/printing/slip";
import { randomUnit } from "../core/random";
import type { Session } from "../core/session/document";
import { jobs } from "../server/db/schema";
import { checkpointFolder } from "../server/paths";
import { readHandoff, requestExport } from "../server/services/handoffs";
import { cancelJob, requestJob } from "../server/services/jobs";
import { listPrints, requestRefresh } from "../server/services/prints";
import { createSession, readState } from "../server/services/sessions";
import { postSteps } from "../server/services/steps";
import { survey } from "../server/services/tidy";
import { fresh } from "../tests/setup/fresh";
import type { Fresh } from "../tests/setup/fresh";
import { ended, startRenderProcess, until } from "../tests/setup/render-process";
import { smallSession, withLateClip } from "../tests/setup/small-session";
import { share } from "../tests/setup/share";

let at: Fresh;
let small: Session;
let child: ChildProcess;
beforeAll(async () => {
  at = await fresh();
  small = await smallSession(at);
  child = await startRenderProcess(at);
}, 60_000);
afterAll(async () => {
  child.kill("SIGTERM");
  await ended(child);
  await at.close();
});

const TRIES = share(20, 2);
const KILL_EVERY = 5;

/** How long a print of the small session takes on this machine, from when it is asked for: the middle of three. */
async function takesMs(): Promise<number> {
  const took: number[] = [];
  for (let n = 0; n < 3; n++) {
    const { id } = await createSession(at.db, small);
    await postSteps(at.db, id, 0, [
      {
        id: "own",
        step: {
          label: "Gain",
          edits: [{ do: "set", in: "clips", track: "surf", id: "s1", patch: { gainDb: -3 - n / 100 } }],
        },
      },
    ]);
    const began = performance.now();
    const { id: job } = await requestJob(at.db, id, { kind: "print", slip: plainSlip(["surf", "bars"]) });
    await until(at, job, (j) => isOver(j.status), 60_000);
    took.push(performance.now() - began);
  }
  return took.sort((a, b) => a - b)[1] ?? 0;
}

describe("whatever happens to a print while it is made", () => {
  test("cancelled or killed at random moments: the session is as it was or done, never between; nothing is left in the store or the queue", async () => {
    let cancelled = 0;
    let finished = 0;
    // Both ends are really to be met, however fast the machine is at the moment, which changes.
    const isEnough = () => Math.min(cancelled, finished) > TRIES / 10;
    // Moments are spread over as long as it takes here, and a little more; later ones after it was cut off, and sooner
    // ones after it was not.
    let withinMs = 1.3 * (await takesMs());
    for (let n = 0; n < TRIES || (!isEnough() && n < 5 * TRIES); n++) {
      const { id } = await createSession(at.db, small);
      // Another gain each time, so that nothing is found in the cache.
      await postSteps(at.db, id, 0, [
        {
          id: "own",
          step: {
            label: "Gain",
            edits: [{ do: "set", in: "clips", track: "surf", id: "s1", patch: { gainDb: -1 - n / 100 } }],
          },
        },
      ]);
      const before = (await readState(at.db, id)).document;
      const job =
        n % 3 === 0
          ? await requestJob(at.db, id, { kind: "freeze", tracks: ["surf", "bars"] })
          : await requestJob(at.db, id, {
              kind: "print",
              slip: { ...plainSlip(["surf", "bars"]), tracks: ["surf", "bars"], moves: [], clips: null },
            });
      await new Promise((resolve) => setTimeout(resolve, randomUnit(17, n) * withinMs));
      if (n % KILL_EVERY === 0) {
        child.kill("SIGKILL");
        await ended(child);
        const between = await readState(at.db, id);
        expect(between.revision === 1 ? between.document : between.document.tracks.length).toEqual(
          between.revision === 1 ? before : n % 3 === 0 ? before.tracks.length : before.tracks.length + 2,
        );
        child = await startRenderProcess(at);
      } else await cancelJob(at.db, job.id);
      const over = await until(at, job.id, (j) => isOver(j.status), 60_000);
      const { document, revision } = await readState(at.db, id);
      if (over.status === "cancelled") {
        cancelled++;
        withinMs *= 1.15;
        expect([revision, document]).toEqual([1, before]);
        expect(await listPrints(at.db, id)).toEqual([]);
      } else {
        finished++;
        withinMs /= 1.15;
        expect([over.status, revision]).toEqual(["done", 2]);
        expect(document.tracks.filter((t) => t.frozen !== null || t.name.endsWith(" print")).length).toBe(2);
        expect((await listPrints(at.db, id)).length).toBe(n % 3 === 0 ? 0 : 2);
      }
      for (const asset of document.assets) expect(existsSync(at.store.path(asset.id))).toBe(true);
    }
    expect(isEnough()).toBe(true);
    const deadline = Date.now() + 60_000;
    while (
      (
        await at.db
          .select()
          .from(jobs)
          .where(inArray(jobs.status, ["waiting", "running"]))
      ).length > 0 &&
      Date.now() < deadline
    )
      await new Promise((r) => setTimeout(r, 100));
    expect(
      await at.db
        .select()
        .from(jobs)
        .where(inArray(jobs.status, ["waiting", "running"])),
    ).toEqual([]);
    expect(readdirSync(`${at.dataRoot}/unfinished`)).toEqual([]);
    expect((await survey(at.db, at.store, false)).unknown).toEqual([]);
  }, 300_000);

  test("killed while checkpoints are written: fixes afterwards have the bytes of a whole render, and nothing is left over", async () => {
    const { id } = await createSession(at.db, withLateClip(small, 70));
    const exported = async (meanwhile: () => Promise<void> = () => Promise.resolve()) => {
      const { id: job } = await requestExport(at.db, id, { since: null, full: true });
      await meanwhile();
      const over = await until(at, job, (j) => isOver(j.status), 60_000);
      expect([over.status, over.fault]).toEqual(["done", null]);
      return (await readHandoff(at.db, job)).manifest.files.map((f) => [f.name, f.sha256]);
    };
    const began = performance.now();
    await exported();
    const takes = performance.now() - began;
    for (let n = 0; n < share(20, 2); n++) {
      const { revision } = await readState(at.db, id);
      const edit = { do: "set", in: "clips", track: "surf", id: "late" } as const;
      const patch = { start: Math.round((30 + 40 * randomUnit(18, n)) * small.rate) };
      await postSteps(at.db, id, revision, [
        { id: `move ${n}`, step: { label: "Move clip", edits: [{ ...edit, patch }] } },
      ]);
      const killed = await exported(async () => {
        await new Promise((resolve) => setTimeout(resolve, takes * randomUnit(19, n)));
        child.kill("SIGKILL");
        await ended(child);
        child = await startRenderProcess(at);
      });
      const again = await exported();
      rmSync(checkpointFolder(at.dataRoot), { recursive: true, force: true });
      const whole = await exported();
      expect([killed, again]).toEqual([whole, whole]);
    }
    await expect.poll(() => readdirSync(`${at.dataRoot}/unfinished`), { timeout: 60_000 }).toEqual([]);
    // Each pass is whole: its index is written last.
    const kept = checkpointFolder(at.dataRoot);
    for (const pass of readdirSync(kept)) expect(readdirSync(join(kept, pass))).toContain("index");
  }, 300_000);

  test("a refresh that is cancelled leaves the old prints where they were", async () => {
    const { id } = await createSession(at.db, small);
    await until(
      at,
      (
        await requestJob(at.db, id, {
          kind: "print",
          slip: { ...plainSlip(["bars"]), tracks: ["bars"], moves: [], clips: null },
        })
      ).id,
      (j) => isOver(j.status),
    );
    const { revision } = await readState(at.db, id);
    await postSteps(at.db, id, revision, [
      {
        id: "hard",
        step: {
          label: "Harder",
          edits: [{ do: "set", in: "devices", track: "bars", id: "bv", patch: { params: { hardness: 88 } } }],
        },
      },
    ]);
    const stale = await readState(at.db, id);
    const [print] = await listPrints(at.db, id);
    const job = await requestRefresh(at.db, id, { prints: [print!.id], withTail: false });
    await cancelJob(at.db, job.id);
    const over = await until(at, job.id, (j) => isOver(j.status));
    const now = await readState(at.db, id);
    if (over.status === "cancelled") expect(now).toMatchObject({ revision: stale.revision, document: stale.document });
    // Once more, undisturbed: the clip plays the new audio.
    const again = await until(at, (await requestRefresh(at.db, id, { prints: [print!.id], withTail: false })).id, (j) =>
      isOver(j.status),
    );
    expect(again.result).toMatchObject({ kind: "refresh", prints: [{ name: "Bars print" }] });
    const fresh = (await readState(at.db, id)).document.tracks.find((t) => t.name === "Bars print")!.clips[0]!;
    expect(fresh.kind === "audio" && fresh.asset !== print!.asset).toBe(true);
  });
});
