import { randomBytes, randomUUID } from "node:crypto";
import { afterAll, beforeAll, describe, expect, test } from "vitest";
import type { Session } from "../../core/session/document";
import type { Edit } from "../../core/session/edits";
import type { NamedStep } from "../../core/session/sync";
import { hashOf } from "../../core/testing/listen";
import { fresh } from "../../tests/setup/fresh";
import type { Fresh } from "../../tests/setup/fresh";
import { smallSession } from "../../tests/setup/small-session";
import { Refusal } from "../fault";
import { eq } from "drizzle-orm";
import { sessions, steps } from "../db/schema";
import { upgradeDocuments } from "./upgrade";
import { createSession, documentAt, duplicateSession, listSessions, readState, setDeleted } from "./sessions";
import { postSteps, returnTo, stepsAfter, travel } from "./steps";

let at: Fresh;
let document: Session;
beforeAll(async () => {
  at = await fresh();
  document = await smallSession(at);
});
afterAll(() => at.close());

let count = 0;
const rename = (name: string): NamedStep => ({
  id: `step-${count++}`,
  step: { label: `Rename to ${name}`, edits: [{ do: "set", in: "tracks", id: "pad", patch: { name } }] },
});
const made = async () => (await createSession(at.db, document)).id;
const refusal = (work: Promise<unknown>): Promise<Refusal> =>
  work.then(
    () => {
      throw new Error("was not refused");
    },
    (e: unknown) => {
      if (e instanceof Refusal) return e;
      throw e;
    },
  );

describe("sessions", () => {
  test("a document is stored and read back the same", async () => {
    const id = await made();
    expect((await readState(at.db, id)).document).toEqual(document);
    expect((await listSessions(at.db)).find((s) => s.id === id)).toMatchObject({
      name: "Small",
      tracks: 6,
      revision: 0,
    });
  });

  test("thirty-two writers at once, each on what it knew last: with rebase every edit is stored once, and all agree", async () => {
    const id = await made();
    const [writers, each] = [32, 8];
    const acknowledged = new Set<number>();
    await Promise.all(
      Array.from({ length: writers }, async (_, w) => {
        let known = 0;
        for (let n = 0; n < each; n++) {
          const posted = await postSteps(at.db, id, known, [rename(`writer ${w}, edit ${n}`)], true);
          expect(posted.outcome).toBe("stored");
          // What others did since is told, up to one's own.
          const others = (posted.outcome === "stored" ? posted.missing : null) ?? [];
          expect(others.map((s) => s.revision)).toEqual(others.map((_s, i) => known + 1 + i));
          expect(posted.revision).toBe(known + others.length + 1);
          expect(acknowledged.has(posted.revision)).toBe(false);
          acknowledged.add(posted.revision);
          known = posted.revision;
        }
      }),
    );
    expect(acknowledged.size).toBe(writers * each);
    const state = await readState(at.db, id);
    expect(state.revision).toBe(writers * each);
    const last = (await stepsAfter(at.db, id, state.revision - 1))[0]!;
    const { name } = state.document.tracks.find((t) => t.id === "pad")!;
    expect(last.step.label).toBe(`Rename to ${name}`);
    // What does not apply any more is refused as it is, and a base that is not there yet is behind.
    const gone: NamedStep = {
      id: "gone",
      step: { label: "x", edits: [{ do: "set", in: "tracks", id: "missing", patch: {} }] },
    };
    expect((await refusal(postSteps(at.db, id, 0, [gone], true))).status).toBe(422);
    expect((await postSteps(at.db, id, 10_000, [rename("ahead")], true)).outcome).toBe("behind");
    // An answer that was lost: sent again it is there already, and what comes with it is stored once.
    const [lost, next] = [rename("lost"), rename("next")];
    await postSteps(at.db, id, state.revision, [lost], true);
    const again = await postSteps(at.db, id, state.revision, [lost, next], true);
    expect(again).toMatchObject({ outcome: "stored", revision: state.revision + 2, missing: [{ id: lost.id }] });
    expect(await postSteps(at.db, id, state.revision, [lost, next], true)).toMatchObject({
      ...{ outcome: "stored", revision: state.revision + 2, missing: [{ id: lost.id }, { id: next.id }] },
    });
    const twice = { ...rename("again"), id: last.id };
    expect((await refusal(postSteps(at.db, id, state.revision + 2, [twice]))).status).toBe(422);
    // A refused post does not stop others of the same batch.
    const [good, bad, alsoGood] = await Promise.allSettled([
      postSteps(at.db, id, state.revision + 2, [rename("good")], true),
      postSteps(at.db, id, state.revision + 2, [twice], true),
      postSteps(at.db, id, state.revision + 2, [rename("also good")], true),
    ]);
    expect([good.status, bad.status, alsoGood.status]).toEqual(["fulfilled", "rejected", "fulfilled"]);
    expect((await readState(at.db, id)).revision).toBe(state.revision + 4);
  });

  test("many who send many steps at once are stored in several transactions, none lost, each where it was told", async () => {
    const id = await made();
    const posts = Array.from({ length: 9 }, (_, w) =>
      Array.from({ length: 200 }, (_s, n) => rename(`writer ${w}, edit ${n}`)),
    );
    const posted = await Promise.all(posts.map((steps) => postSteps(at.db, id, 0, steps, true)));
    expect(posted.map((p) => p.revision).sort((a, b) => a - b)).toEqual(posts.map((_, w) => 200 * (w + 1)));
    const stored = await stepsAfter(at.db, id, 0);
    expect(stored.map((s) => s.id)).toEqual(
      posted
        .flatMap((p, w) => [{ p, w }])
        .sort((a, b) => a.p.revision - b.p.revision)
        .flatMap(({ w }) => posts[w]!.map((s) => s.id)),
    );
  });

  test("a client far behind gets the missing steps in parts, and its own is stored once at the end", async () => {
    const id = await made();
    let now = 0;
    for (let n = 0; n < 12; n++) {
      const posted = await postSteps(
        at.db,
        id,
        now,
        Array.from({ length: 200 }, (_, k) => rename(`${n}-${k}`)),
      );
      now = posted.revision;
    }
    // Of letters that cannot be packed.
    const large = (n: number): NamedStep => ({
      ...rename("x"),
      step: { label: randomBytes(60).toString("hex"), edits: Array.from({ length: 1 + n }, () => pointless()) },
    });
    const pointless = (): Edit => ({
      do: "set",
      in: "tracks",
      id: "pad",
      patch: { name: randomBytes(90).toString("base64") },
    });
    for (let n = 0; n < 3; n++) now = (await postSteps(at.db, id, now, [large(20_000)])).revision;
    const mine = rename("mine");
    let [base, asked] = [0, 0];
    const told: number[] = [];
    for (;;) {
      const posted = await postSteps(at.db, id, base, [mine], asked % 2 === 0);
      if (++asked > 20) throw new Error("never");
      if (posted.outcome === "stored") break;
      expect(posted.missing.map((s) => s.revision)).toEqual(posted.missing.map((_, i) => base + 1 + i));
      told.push(posted.missing.length);
      base += posted.missing.length;
    }
    // So many at once; then of the large ones two, which are more than enough; the last came with the answer.
    expect(told).toEqual([2000, 402]);
    const last = await stepsAfter(at.db, id, now);
    expect(last.map((s) => s.id)).toEqual([mine.id]);
    // Sent again from the very beginning, since the answer was lost: it is there once.
    for (let from = 0, tries = 0; ; tries++) {
      if (tries > 20) throw new Error("never");
      const again = await postSteps(at.db, id, from, [mine], true);
      if (again.outcome === "stored") break;
      from += again.missing.length;
    }
    expect((await readState(at.db, id)).revision).toBe(now + 1);
  });

  test("going back is as large as what is different then, however much was done, and however often one does", async () => {
    const id = await made();
    const before = await readState(at.db, id);
    let now = 0;
    for (let n = 0; n < 6; n++)
      now = (
        await postSteps(
          at.db,
          id,
          now,
          Array.from({ length: 200 }, (_, k) => rename(`${n}-${k}`)),
        )
      ).revision;
    const then = await documentAt(at.db, id, 700);
    for (const revision of [0, 700, 0, 700]) {
      now = await returnTo(at.db, id, revision, "Go back", randomUUID());
      const [step] = await stepsAfter(at.db, id, now - 1);
      expect(step?.step.edits).toHaveLength(1);
      expect((await readState(at.db, id)).document).toEqual(revision === 0 ? before.document : then);
      expect(await documentAt(at.db, id, 700)).toEqual(then);
    }
    await travel(at.db, id, "undo");
    expect((await readState(at.db, id)).document).toEqual(before.document);
    expect((await refusal(returnTo(at.db, id, 0, "Go back", randomUUID()))).status).toBe(409);
  });

  test("a wrong document is refused with every problem and its place, and nothing is stored", async () => {
    const before = (await listSessions(at.db)).length;
    const wrong = {
      ...document,
      tracks: document.tracks.map((t) => (t.id === "pad" ? { ...t, pan: 7, faderDb: "loud" } : t)),
    };
    const { status, fault } = await refusal(createSession(at.db, wrong));
    expect(status).toBe(422);
    expect(fault.problems.map((p) => p.where).sort()).toEqual(["tracks[1].faderDb", "tracks[1].pan"]);
    expect((await listSessions(at.db)).length).toBe(before);
  });

  test("audio that is not in the store, or is not what the document says, is refused", async () => {
    const unknown = { ...document, assets: [...document.assets, { ...document.assets[0]!, id: hashOf(77) }] };
    expect((await refusal(createSession(at.db, unknown))).fault.problems[0]).toEqual({
      where: "assets[1].id",
      what: 'the audio of "noise" is not in the store: upload it first',
    });
    const longer = { ...document, assets: [{ ...document.assets[0]!, frames: 99999 }] };
    expect((await refusal(createSession(at.db, longer))).fault.problems[0]!.what).toContain(
      "99999, the stored file has 48000",
    );
  });

  test("an id is given once", async () => {
    await createSession(at.db, document, "one");
    expect((await refusal(createSession(at.db, document, "one"))).status).toBe(409);
  });
});

describe("documents of an earlier version", () => {
  test("are brought to today's before anybody reads them, and their history can still be undone; what cannot be read is left and named", async () => {
    const id = await made();
    // As version 1 stored it: without the fields that came later, in the document and in the step that took a clip
    // away.
    const older = JSON.parse(JSON.stringify(document), (key, value: unknown) =>
      [
        "layers",
        "takes",
        "loop",
        "crossfade",
        "reverse",
        "stretch",
        "transposeCents",
        "process",
        "linked",
        "leadIn",
      ].includes(key)
        ? undefined
        : value,
    ) as Session;
    const clip = older.tracks.find((t) => t.id === "bars")!.clips[0]!;
    const without = {
      ...older,
      version: 1,
      tracks: older.tracks.map((t) => (t.id === "bars" ? { ...t, clips: [] } : t)),
    };
    await at.db
      .update(sessions)
      .set({ document: without as never, documentRevision: 1, revision: 1, head: "old", undoStep: 1 })
      .where(eq(sessions.id, id));
    await at.db.insert(steps).values({
      sessionId: id,
      revision: 1,
      stepId: "old",
      label: "Delete",
      step: { label: "Delete", edits: [{ do: "remove", in: "clips", track: "bars", id: clip.id }] },
      inverse: { label: "Delete", edits: [{ do: "add", in: "clips", track: "bars", item: { ...clip }, index: 0 }] },
    });
    const broken = await made();
    await at.db
      .update(sessions)
      .set({ document: { ...without, tempo: "fast" } as never })
      .where(eq(sessions.id, broken));

    expect(await upgradeDocuments(at.db)).toEqual([broken]);
    const read = (await readState(at.db, id)).document;
    expect(read).toEqual({
      ...document,
      sheet: { ...document.sheet, rows: document.sheet.rows.map((r) => ({ ...r, linked: false })) },
      tracks: document.tracks.map((t) => (t.id === "bars" ? { ...t, clips: [] } : t)),
    });
    await travel(at.db, id, "undo");
    expect((await readState(at.db, id)).document.tracks.find((t) => t.id === "bars")!.clips).toEqual(
      document.tracks.find((t) => t.id === "bars")!.clips,
    );
    await at.db.delete(sessions).where(eq(sessions.id, broken));
    expect(await upgradeDocuments(at.db)).toEqual([]);
  });
});

describe("steps", () => {
  test("are stored in order with their inverses, and undone and redone to identical documents", async () => {
    const id = await made();
    await postSteps(at.db, id, 0, [rename("One"), rename("Two")]);
    const two = (await readState(at.db, id)).document;
    const first = await travel(at.db, id, "undo");
    expect(first).toEqual({ revision: 3, label: "Rename to Two", undo: "Rename to One", redo: "Rename to Two" });
    const second = await travel(at.db, id, "undo");
    expect(second).toEqual({ revision: 4, label: "Rename to One", undo: null, redo: "Rename to One" });
    expect((await readState(at.db, id)).document).toEqual(document);
    await travel(at.db, id, "redo");
    const last = await travel(at.db, id, "redo");
    expect(last).toEqual({ revision: 6, label: "Rename to Two", undo: "Rename to Two", redo: null });
    const state = await readState(at.db, id);
    expect(state.document).toEqual(two);
    expect([state.revision, state.undo, state.redo]).toEqual([6, "Rename to Two", null]);
    expect((await refusal(travel(at.db, id, "redo"))).status).toBe(409);
    expect((await stepsAfter(at.db, id, 4)).map((s) => s.revision)).toEqual([5, 6]);
  });

  test("a new edit after an undo ends what could be redone", async () => {
    const id = await made();
    await postSteps(at.db, id, 0, [rename("One")]);
    await travel(at.db, id, "undo");
    await postSteps(at.db, id, 2, [rename("Other")]);
    expect(await readState(at.db, id)).toMatchObject({ redo: null, undo: "Rename to Other" });
  });

  test("made on an old revision are answered with what is missing, and are not stored", async () => {
    const id = await made();
    await postSteps(at.db, id, 0, [rename("First")]);
    const late = await postSteps(at.db, id, 0, [rename("Late")]);
    expect(late).toMatchObject({ outcome: "behind", revision: 1 });
    expect(late.outcome === "behind" && late.missing.map((s) => s.step.label)).toEqual(["Rename to First"]);
    expect((await readState(at.db, id)).revision).toBe(1);
  });

  test("of one request are stored all or none", async () => {
    const id = await made();
    const bad: NamedStep = {
      id: "bad",
      step: { label: "Bad", edits: [{ do: "set", in: "tracks", id: "pad", patch: { pan: 9 } }] },
    };
    const { fault } = await refusal(postSteps(at.db, id, 0, [rename("Good"), bad]));
    expect(fault.problems[0]!.where).toBe("edits[0].patch.pan");
    expect(await readState(at.db, id)).toMatchObject({ revision: 0, document });
  });

  test("posted at the same time by ten tabs are all kept, each once", async () => {
    const id = await made();
    const post = async (name: string) => {
      const step = rename(name);
      for (let base = 0; ;) {
        const posted = await postSteps(at.db, id, base, [step]);
        if (posted.outcome === "stored") return;
        base = posted.revision;
      }
    };
    await Promise.all(Array.from({ length: 10 }, (_, i) => post(`Tab ${i}`)));
    const stored = await stepsAfter(at.db, id, 0);
    expect(stored.map((s) => s.revision)).toEqual([1, 2, 3, 4, 5, 6, 7, 8, 9, 10]);
    expect(new Set(stored.map((s) => s.step.label)).size).toBe(10);
  });
});

describe("copies and deletion", () => {
  test("a copy has the same document and a history of its own; a deleted session is off the list, whole, and comes back", async () => {
    const id = await made();
    await postSteps(at.db, id, 0, [rename("Other")]);
    const copy = await duplicateSession(at.db, id);
    expect(copy).toMatchObject({ revision: 0, undo: null });
    expect(copy.document).toEqual({ ...(await readState(at.db, id)).document, name: "Small copy" });
    await setDeleted(at.db, id, true);
    const listed = async () => (await listSessions(at.db)).find((s) => s.id === id)?.deletedAt ?? null;
    expect(await listed()).not.toBeNull();
    expect((await readState(at.db, id)).undo).toBe("Rename to Other");
    await setDeleted(at.db, id, false);
    expect(await listed()).toBeNull();
    expect((await refusal(setDeleted(at.db, "no-such-session", true))).status).toBe(404);
  });

  test("the document of any earlier revision can be had, whatever was undone and redone since", async () => {
    const id = await made();
    const names = ["One", "Two", "Three"];
    for (const [i, name] of names.entries()) await postSteps(at.db, id, i, [rename(name)]);
    await travel(at.db, id, "undo");
    await travel(at.db, id, "redo");
    const nameAt = async (revision: number) =>
      (await documentAt(at.db, id, revision)).tracks.find((t) => t.id === "pad")!.name;
    expect(await Promise.all([1, 2, 3, 4, 5].map(nameAt))).toEqual(["One", "Two", "Three", "Two", "Three"]);
    expect(await documentAt(at.db, id, 0)).toEqual(document);
  });
});
