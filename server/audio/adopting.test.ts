import { spawn } from "node:child_process";
import { once } from "node:events";
import { existsSync, readdirSync, renameSync, rmSync } from "node:fs";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "vitest";
import { randomUnit } from "../../core/random";
import { noise } from "../../core/testing/listen";
import type { Fresh } from "../../tests/setup/fresh";
import { fresh, writeWav } from "../../tests/setup/fresh";
import type { Connection } from "../db/connect";
import { adoptingFolder } from "../paths";
import type { ProcessId } from "../processes";
import { identityOf } from "../processes";
import { recordAudio, reapOrphanedAudio, knownAudioAfterCommits } from "../services/audio";
import { survey } from "../services/tidy";
import { asideOf, note, notesOf } from "./adopting";
import { inspectWav } from "./facts";
import { AudioStore } from "./store";

let at: Fresh;
beforeAll(async () => {
  at = await fresh();
});
afterAll(() => at.close());

let seed = 0;
/** A store of this process. */
const storeHere = () => new AudioStore(at.dataRoot);
const isThere = (hash: string) => existsSync(at.store.path(hash));
const notes = () => readdirSync(adoptingFolder(at.dataRoot));
const pause = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));

/** Stores a sound of its own, or the same as another by its seed; answers with how it is recorded. */
async function adopted(store: AudioStore, sound = ++seed) {
  const path = store.unfinished();
  writeWav(path, noise(64, sound));
  const facts = await inspectWav(path);
  const hash = await store.adopt(path);
  return { hash, sound, record: (db: Connection = at.db) => recordAudio(db, hash, facts) };
}

const nameOf = ({ pid, since }: ProcessId) => `${pid}-${since}`;
/** The number and the beginning of a process that was killed. */
async function dead(): Promise<ProcessId> {
  const child = spawn("sleep", ["60"]);
  const id = identityOf(child.pid!)!;
  child.kill("SIGKILL");
  await once(child, "exit");
  return id;
}

describe("stored audio that the database does not speak of", () => {
  test("goes when its job failed, and stays when it was recorded", async () => {
    const store = storeHere();
    const [kept, gone] = [await adopted(store), await adopted(store)];
    await kept.record();
    expect(notes().length).toBe(2);
    // What is on its way is not strange.
    expect((await survey(at.db, at.store, false)).unknown).toEqual([]);
    await reapOrphanedAudio(at.db, store);
    expect([isThere(kept.hash), isThere(gone.hash), notes()]).toEqual([true, false, []]);
  });

  test("stays while another job stores the same, which may have found it there", async () => {
    const [one, other] = [storeHere(), storeHere()];
    const first = await adopted(one);
    const second = await adopted(other, first.sound);
    await reapOrphanedAudio(at.db, one);
    expect(isThere(first.hash)).toBe(true);
    await second.record();
    await reapOrphanedAudio(at.db, other);
    expect([isThere(first.hash), notes()]).toEqual([true, []]);
  });

  test("is kept with its note where the database cannot be asked", async () => {
    const store = storeHere();
    const { hash } = await adopted(store);
    await expect(store.reapOrphans(() => Promise.reject(new Error("away")))).rejects.toThrow("away");
    expect([isThere(hash), notes().length]).toEqual([true, 1]);
    // Its writer lives.
    await at.store.reapOrphansOfDead(knownAudioAfterCommits(at.db));
    expect([isThere(hash), notes().length]).toEqual([true, 1]);
    for (const { path } of await notesOf(adoptingFolder(at.dataRoot)))
      renameSync(path, path.replace(/\d+-\d+(?=-[0-9a-f]{64})/, nameOf(await dead())));
    await at.store.reapOrphansOfDead(knownAudioAfterCommits(at.db));
    expect([isThere(hash), notes()]).toEqual([false, []]);
  });

  test("of a process that was killed goes, however often it had stored it; what was recorded stays, wherever it was cut off", async () => {
    const writer = await dead();
    const store = storeHere();
    const [gone, kept, cut] = [await adopted(store), await adopted(store), await adopted(store)];
    await kept.record();
    await cut.record();
    await reapOrphanedAudio(at.db, storeHere());
    const folder = adoptingFolder(at.dataRoot);
    for (const { path } of await notesOf(folder))
      renameSync(path, path.replace(/\d+-\d+(?=-[0-9a-f]{64})/, nameOf(writer)));
    await note(folder, writer, gone.hash);
    // It never came to storing this.
    await note(folder, writer, "0".repeat(64));
    const [left] = (await notesOf(folder)).filter((n) => n.hash === cut.hash);
    renameSync(at.store.path(cut.hash), asideOf(left!));
    await at.store.reapOrphansOfDead(knownAudioAfterCommits(at.db));
    expect([gone, kept, cut].map((a) => isThere(a.hash))).toEqual([false, true, true]);
    expect(notes()).toEqual([]);
  });

  test("stays where a process was killed after its last word, and the database has not done it yet", async () => {
    const stored = await adopted(storeHere());
    const writer = await dead();
    for (const { path } of await notesOf(adoptingFolder(at.dataRoot)))
      renameSync(path, path.replace(/\d+-\d+(?=-[0-9a-f]{64})/, nameOf(writer)));
    let settling: Promise<void> = Promise.resolve();
    await at.db.transaction(async (tx) => {
      await stored.record(tx);
      settling = at.store.reapOrphansOfDead(knownAudioAfterCommits(at.db));
      await pause(300);
    });
    await settling;
    expect([isThere(stored.hash), notes()]).toEqual([true, []]);
  });

  test("of a job with many files is asked for together, however many there are", async () => {
    const store = storeHere();
    const stored = await Promise.all(Array.from({ length: 300 }, () => adopted(store)));
    for (const one of stored.slice(0, 100)) await one.record();
    let asked = 0;
    await store.reapOrphans((hashes) => {
      asked++;
      return knownAudioAfterCommits(at.db)(hashes);
    });
    expect(asked).toBe(2);
    expect(stored.map((one) => isThere(one.hash))).toEqual(stored.map((_, n) => n < 100));
    expect(notes()).toEqual([]);
  });

  test("is put back where the database goes away while it is given up", async () => {
    const store = storeHere();
    const { hash } = await adopted(store);
    let asked = 0;
    const goes = () => (asked++ === 0 ? Promise.resolve(new Set<string>()) : Promise.reject(new Error("away")));
    await expect(store.reapOrphans(goes)).rejects.toThrow("away");
    expect([asked, isThere(hash), notes().length]).toEqual([2, true, 1]);
    rmSync(join(adoptingFolder(at.dataRoot), notes()[0]!));
  });

  test("jobs that store the same at the same time, however they end: what is recorded is there, and nothing else is", async () => {
    const ROUNDS = 40;
    const ends = await Promise.all(
      Array.from({ length: 3 * ROUNDS }, async (_, n) => {
        const store = storeHere();
        const wait = (k: number) => pause(12 * randomUnit(29, 4 * n + k));
        await wait(0);
        const one = await adopted(store, 1000 + Math.floor(n / 3));
        await wait(1);
        const isKept = n % 3 === 0 && Math.floor(n / 3) % 4 !== 0;
        if (isKept) await one.record();
        await wait(2);
        await reapOrphanedAudio(at.db, store);
        return { ...one, isKept };
      }),
    );
    const kept = new Set(ends.filter((e) => e.isKept).map((e) => e.hash));
    expect(kept.size).toBe((3 * ROUNDS) / 4);
    for (const { hash } of ends) expect([hash, isThere(hash)]).toEqual([hash, kept.has(hash)]);
    expect(notes()).toEqual([]);
  });
});
