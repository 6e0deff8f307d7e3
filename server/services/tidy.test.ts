import { existsSync, mkdirSync, rmSync, utimesSync, writeFileSync } from "node:fs";
import { randomUUID } from "node:crypto";
import { dirname, join } from "node:path";
import { eq, sql } from "drizzle-orm";
import fc from "fast-check";
import { afterAll, beforeAll, describe, expect, test } from "vitest";
import { WAITING } from "../../contract/job-progress";
import { plainSlip } from "../../core/printing/slip";
import { makeAudioClip, makeNest, makeSession, makeTrack } from "../../core/session/build";
import type { Asset } from "../../core/session/document";
import { noise } from "../../core/testing/listen";
import type { Fresh } from "../../tests/setup/fresh";
import { fresh, keep } from "../../tests/setup/fresh";
import { assets, jobs, lineage, prints } from "../db/schema";
import { recordInstrumentFile } from "./instruments";
import { createSession } from "./sessions";
import { postSteps } from "./steps";
import { planTidy, survey, tidy } from "./tidy";

let at: Fresh;
beforeAll(async () => {
  at = await fresh();
});
afterAll(async () => {
  await at.close();
});

const LONG_AGO = new Date(Date.now() - 40 * 24 * 3600 * 1000);
let made = 0;

/** A piece of audio in the store, as if it had been there for long or had just come. */
async function audio(isOld: boolean): Promise<Asset> {
  const asset = await keep(at, `piece ${++made}`, noise(64, 1000 + made, 0.5));
  if (!isOld) return asset;
  utimesSync(at.store.path(asset.id), LONG_AGO, LONG_AGO);
  await at.db.update(assets).set({ madeAt: LONG_AGO }).where(eq(assets.hash, asset.id));
  return asset;
}

/** Where a piece may be referred to from; `nothing` and `only the cache` are none. */
const places = [
  "a session",
  "a nest",
  "what was undone",
  "a deleted session",
  "a print",
  "a waiting job",
  "only the cache",
  "nothing",
] as const;

async function refer(asset: Asset, from: (typeof places)[number]): Promise<void> {
  const clip = makeAudioClip({ id: "c", asset: asset.id, start: 0, frames: 64 });
  const mix = makeTrack({ id: "mix", name: "Mix", kind: "mix" });
  const track = makeTrack({ id: "t", name: "T", kind: "audio", output: "mix", clips: [clip] });
  const whole = makeSession({ name: from, assets: [asset], tracks: [track, mix] });
  switch (from) {
    case "a session":
      await createSession(at.db, whole);
      return;
    case "a nest": {
      const nest = makeNest({ id: "n", start: 0, frames: 64, children: [clip] });
      await createSession(at.db, { ...whole, tracks: [{ ...track, clips: [nest] }, mix] });
      return;
    }
    case "what was undone": {
      const { id } = await createSession(at.db, whole);
      const edits = [
        { do: "remove" as const, in: "clips" as const, track: "t", id: "c" },
        { do: "remove" as const, in: "assets" as const, id: asset.id },
      ];
      await postSteps(at.db, id, 0, [{ id: randomUUID(), step: { label: "Gone", edits } }]);
      return;
    }
    case "a deleted session": {
      const { id } = await createSession(at.db, whole);
      await at.db.execute(sql`update sessions set deleted_at = now() where id = ${id}`);
      return;
    }
    case "a print": {
      const { id } = await createSession(at.db, makeSession({ name: from, tracks: [mix] }));
      await at.db.insert(lineage).values({
        ...{ id: randomUUID(), sessionId: id, job: randomUUID(), asset: asset.id, name: "p", slip: plainSlip(["t"]) },
        ...{ sources: ["T"], fingerprint: "f".repeat(64), revisionBefore: 0, revisionAfter: 1 },
      });
      return;
    }
    case "a waiting job": {
      const request = { kind: "save audio", asset: asset.id } as never;
      await at.db.insert(jobs).values({ id: randomUUID(), sessionId: null, request, progress: WAITING });
      return;
    }
    case "only the cache":
      await at.db.insert(prints).values({
        ...{ fingerprint: asset.id.split("").reverse().join(""), asset: asset.id, sessionId: "gone", revision: 3 },
        source: "t",
      });
      return;
    case "nothing":
      return;
  }
}

const isNeeded = (from: (typeof places)[number]): boolean => from !== "nothing" && from !== "only the cache";

describe("tidying", () => {
  test("lists exactly what it removes, and never what a session, its history, a print or a job refers to", async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.record({ from: fc.constantFrom(...places), isOld: fc.boolean() }), { minLength: 1, maxLength: 12 }),
        async (pieces) => {
          const all: { readonly asset: Asset; readonly from: (typeof places)[number]; readonly isOld: boolean }[] = [];
          for (const { from, isOld } of pieces) {
            const asset = await audio(isOld);
            await refer(asset, from);
            all.push({ asset, from, isOld });
          }
          const planned = new Date();
          const plan = await planTidy(at.db, at.store, planned);
          const idle = all.filter((a) => a.isOld && !isNeeded(a.from)).map((a) => a.asset.id);
          expect(new Set(plan.items.map((i) => i.name))).toEqual(new Set(idle));
          for (const { asset } of all) expect(existsSync(at.store.path(asset.id))).toBe(true);
          const done = await tidy(at.db, at.store, plan, planned);
          expect(done.items).toEqual(plan.items);
          for (const { asset } of all)
            expect([asset.id, existsSync(at.store.path(asset.id))]).toEqual([asset.id, !idle.includes(asset.id)]);
          const found = await survey(at.db, at.store, true);
          expect([found.lost, found.unknown, found.damaged]).toEqual([[], [], []]);
          // What was young grows old here, so that the next round begins with nothing to do.
          for (const { asset, from, isOld } of all) if (!isOld && !isNeeded(from)) await refer(asset, "a session");
        },
      ),
      { numRuns: 12 },
    );
  }, 120_000);

  test("spares what was touched or referred to after it was listed", async () => {
    const [touched, placed, idle] = [await audio(true), await audio(true), await audio(true)];
    const planned = new Date();
    const plan = await planTidy(at.db, at.store, planned);
    expect(plan.items.length).toBe(3);
    expect(await at.store.touch(touched.id)).toBe(true);
    await refer(placed, "a session");
    const done = await tidy(at.db, at.store, plan, planned);
    expect(done.items.map((i) => i.name)).toEqual([idle.id]);
    expect([touched, placed, idle].map((a) => existsSync(at.store.path(a.id)))).toEqual([true, true, false]);
    await refer(touched, "a session");
  });

  test("puts everything back where the database does not let go of it", async () => {
    const [held, idle] = [await audio(true), await audio(true)];
    const planned = new Date();
    const plan = await planTidy(at.db, at.store, planned);
    // Referred to by a row that says it is older than the plan: the database itself refuses to forget it.
    await refer(held, "a print");
    await at.db.update(lineage).set({ madeAt: LONG_AGO }).where(eq(lineage.asset, held.id));
    await expect(tidy(at.db, at.store, plan, planned)).rejects.toThrow();
    expect([held, idle].map((a) => existsSync(at.store.path(a.id)))).toEqual([true, true]);
    expect((await survey(at.db, at.store, true)).lost).toEqual([]);
    const again = await planTidy(at.db, at.store);
    expect(again.items.map((i) => i.name)).toEqual([idle.id]);
    await tidy(at.db, at.store, again, new Date());
  });

  test("removes files that nothing refers to, what was sent and left, what was to be taken away, and packages of no handoff", async () => {
    const stray = join(at.dataRoot, "audio", "ab", `ab${"0".repeat(62)}.wav`);
    const left = [stray, at.store.uploads.path("left"), at.store.saved.path("taken"), at.store.packages.path("none")];
    for (const path of left) {
      mkdirSync(dirname(path), { recursive: true });
      writeFileSync(path, "abc");
      utimesSync(path, LONG_AGO, LONG_AGO);
    }
    const young = at.store.uploads.path("young");
    writeFileSync(young, "abc");
    const planned = new Date();
    const plan = await planTidy(at.db, at.store, planned);
    expect(plan.items.map((i) => i.kind).sort()).toEqual(["audio", "package", "saved", "upload"]);
    expect(plan.bytes).toBe(12);
    await tidy(at.db, at.store, plan, planned);
    expect([...left, young].map((p) => existsSync(p))).toEqual([false, false, false, false, true]);
  });

  test("removes files of instruments that are entered nowhere, also not since they were listed", async () => {
    const put = (name: string, changed: Date) => {
      const path = at.store.instruments.path(name);
      mkdirSync(dirname(path), { recursive: true });
      writeFileSync(path, "a SoundFont");
      utimesSync(path, changed, changed);
    };
    const [known, idle, fresh, again] = ["a", "b", "c", "d"].map((x) => x.repeat(64)) as [
      string,
      string,
      string,
      string,
    ];
    for (const name of [known, idle, again]) put(name, LONG_AGO);
    put(fresh, new Date());
    const file = (hash: string) => ({ hash, name: "Font", fileName: "font.sf2", bytes: 11 });
    await recordInstrumentFile(at.db, file(known), []);
    const plan = await planTidy(at.db, at.store);
    expect(plan.items.flatMap((i) => (i.kind === "instruments" ? [i.name] : []))).toEqual([idle, again]);
    await recordInstrumentFile(at.db, file(again), []);
    await tidy(at.db, at.store, plan, new Date());
    const isThere = (name: string) => existsSync(at.store.instruments.path(name));
    expect([known, idle, fresh, again].map(isThere)).toEqual([true, false, true, true]);
  });

  test("a survey names what is lost, unknown and damaged", async () => {
    const [lost, damaged] = [await audio(false), await audio(false)];
    rmSync(at.store.path(lost.id));
    writeFileSync(at.store.path(damaged.id), "other bytes");
    const found = await survey(at.db, at.store, true);
    expect([found.lost, found.damaged, found.unknown]).toEqual([[lost.id], [damaged.id], []]);
    expect((await survey(at.db, at.store, false)).damaged).toEqual([]);
  });
});
