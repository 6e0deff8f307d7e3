import { cpSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { and, eq } from "drizzle-orm";
import { migrate } from "drizzle-orm/node-postgres/migrator";
import fc from "fast-check";
import { afterAll, beforeAll, describe, expect, inject, test } from "vitest";
import type { Session } from "../../core/session/document";
import type { Step } from "../../core/session/edits";
import { applyStep } from "../../core/session/edits";
import type { Sync } from "../../core/session/sync";
import { propose, receive, startSync } from "../../core/session/sync";
import type { Fresh } from "../../tests/setup/fresh";
import { fresh } from "../../tests/setup/fresh";
import { smallSession } from "../../tests/setup/small-session";
import { connect } from "../db/connect";
import { migrateDatabase } from "../db/migrate";
import { sessions, steps } from "../db/schema";
import { SNAPSHOT_EDITS, SNAPSHOT_EVERY, forgetDocuments } from "./documents";
import { createSession, documentAt, listSessions, readState } from "./sessions";
import { postSteps, stepsAfter, travel } from "./steps";

let at: Fresh;
let document: Session;
beforeAll(async () => {
  at = await fresh();
  document = await smallSession(at);
});
afterAll(() => at.close());

let count = 0;
const named = (step: Step) => ({ id: `made-${count++}`, step });
const fader = (faderDb: number): Step => ({
  label: `Fader to ${faderDb}`,
  edits: [{ do: "set", in: "tracks", id: "pad", patch: { faderDb } }],
});
const after = (session: Session, step: Step): Session => {
  const made = applyStep(session, step);
  if (!made.ok) throw new Error(made.problems[0]?.what);
  return made.value.session;
};

describe("documents", () => {
  test("whatever is edited, undone and redone, and whenever memory is empty, the document is what the steps make it", async () => {
    const moves = fc.array(
      fc.oneof(
        { weight: 4, arbitrary: fc.integer({ min: -60, max: 6 }) },
        fc.constantFrom("undo" as const, "redo" as const, "forget" as const),
      ),
      { minLength: 5, maxLength: 40 },
    );
    await fc.assert(
      fc.asyncProperty(moves, async (list) => {
        const { id } = await createSession(at.db, document);
        let undo: Session[] = [];
        let redo: Session[] = [];
        let now = document;
        const all = [document];
        for (const move of list) {
          if (move === "forget") forgetDocuments();
          else if (typeof move === "number") {
            await postSteps(at.db, id, all.length - 1, [named(fader(move))]);
            [undo, redo, now] = [[...undo, now], [], after(now, fader(move))];
            all.push(now);
          } else {
            const [from, to] = move === "undo" ? [undo, redo] : [redo, undo];
            const back = from.pop();
            if (!back) {
              await expect(travel(at.db, id, move)).rejects.toThrow();
              continue;
            }
            to.push(now);
            now = back;
            await travel(at.db, id, move);
            all.push(now);
          }
        }
        const state = await readState(at.db, id);
        expect(state.document).toEqual(now);
        expect([state.revision, state.undo === null, state.redo === null]).toEqual([
          all.length - 1,
          undo.length === 0,
          redo.length === 0,
        ]);
        forgetDocuments();
        for (const [revision, was] of all.entries()) expect(await documentAt(at.db, id, revision)).toEqual(was);
      }),
      { numRuns: 25 },
    );
  }, 60_000);

  test("a snapshot is written every so many steps, and read on from", async () => {
    const { id } = await createSession(at.db, document);
    const stored = async () => (await at.db.select().from(sessions).where(eq(sessions.id, id)))[0]!;
    const post = (base: number, n: number) =>
      postSteps(
        at.db,
        id,
        base,
        Array.from({ length: n }, (_, i) => named(fader(-((base + i) % 50)))),
      );
    await post(0, SNAPSHOT_EVERY - 1);
    expect((await stored()).documentRevision).toBe(0);
    expect((await stored()).document).toEqual(document);
    // Three at once: the snapshot is of what they lead to.
    await post(SNAPSHOT_EVERY - 1, 3);
    expect((await stored()).documentRevision).toBe(SNAPSHOT_EVERY + 2);
    forgetDocuments();
    const { document: now, revision } = await readState(at.db, id);
    expect([revision, now.tracks.find((t) => t.id === "pad")!.faderDb]).toEqual([
      SNAPSHOT_EVERY + 2,
      -((SNAPSHOT_EVERY + 1) % 50),
    ]);
    // One of very many edits, which would be long to do again.
    const many = Array.from({ length: SNAPSHOT_EDITS }, (_, i) => fader(-(i % 50)).edits).flat();
    await postSteps(at.db, id, revision, [named({ label: "Many", edits: many })]);
    expect((await stored()).documentRevision).toBe(revision + 1);
  });

  test("another history of the same length, as a restored database has, is not taken for the one in memory", async () => {
    const { id } = await createSession(at.db, document);
    await postSteps(at.db, id, 0, [named(fader(-1)), named(fader(-2))]);
    expect((await readState(at.db, id)).document.tracks.find((t) => t.id === "pad")!.faderDb).toBe(-2);
    // The database as a backup had it after the first step, with another second one.
    await at.db
      .update(steps)
      .set({ stepId: "other", step: fader(-9) })
      .where(and(eq(steps.sessionId, id), eq(steps.revision, 2)));
    await at.db.update(sessions).set({ head: "other" }).where(eq(sessions.id, id));
    expect((await readState(at.db, id)).document.tracks.find((t) => t.id === "pad")!.faderDb).toBe(-9);
  });
});

test("a thousand edits by two tabs that post as they please: none is lost, and tabs and server end with the same", async () => {
  const { id } = await createSession(at.db, document);
  const tabs: Sync[] = [startSync(document, 0), startSync(document, 0)];
  const ids = new Set<string>();
  /** One tab's five hundred edits, in batches as they gather; those that came too late are sent again. */
  const work = async (tab: 0 | 1) => {
    const own = () => tabs[tab] as Sync;
    for (let made = 0; made < 500 || own().pending.length > 0;) {
      for (let n = 1 + (made % 7); n > 0 && made < 500; n--, made++) {
        const step = { ...named(fader(-(made % 60))), id: `tab-${tab}-${made}` };
        ids.add(step.id);
        tabs[tab] = propose(own(), step).sync;
      }
      const batch = own()
        .pending.slice(0, 100)
        .map(({ id: stepId, step }) => ({ id: stepId, step }));
      const base = own().revision;
      const posted = await postSteps(at.db, id, base, batch);
      const stored =
        posted.outcome === "stored" ? batch.map((b, i) => ({ ...b, revision: base + 1 + i })) : posted.missing;
      const { sync, refused } = receive(own(), stored);
      expect(refused).toEqual([]);
      tabs[tab] = sync;
      if (made % 97 === 0) forgetDocuments();
    }
  };
  await Promise.all([work(0), work(1)]);
  const history = await stepsAfter(at.db, id, 0);
  expect(history.length).toBe(1000);
  expect(new Set(history.map((h) => h.id))).toEqual(ids);
  const { document: stored, revision } = await readState(at.db, id);
  expect(revision).toBe(1000);
  for (const tab of tabs) {
    const { sync } = receive(tab, history);
    expect(sync.shown).toEqual(stored);
  }
}, 120_000);

test("a database of before keeps its sessions, their histories and what could be undone and redone", async () => {
  const name = `old_${Date.now()}`;
  const server = inject("databaseServer");
  const admin = connect(server.replace(/NAME$/, "postgres"), 1);
  await admin.pool.query(`create database ${name}`);
  const old = connect(server.replace(/NAME$/, name), 2);
  const folder = mkdtempSync(join(tmpdir(), "stemzo-migrations-"));
  try {
    // The schema as it was when a session was written whole with every step.
    cpSync("server/db/migrations", folder, { recursive: true });
    const journal = JSON.parse(readFileSync(join(folder, "meta/_journal.json"), "utf8")) as { entries: object[] };
    writeFileSync(
      join(folder, "meta/_journal.json"),
      JSON.stringify({ ...journal, entries: journal.entries.slice(0, 5) }),
    );
    await migrate(old.db, { migrationsFolder: folder });

    const edits = [fader(-1), fader(-2), fader(-3)];
    let now = { ...document, assets: [], tracks: document.tracks.map((t) => ({ ...t, clips: [] })) } as Session;
    const documents = [now];
    const rows: { step: Step; inverse: Step }[] = [];
    const take = (step: Step) => {
      const made = applyStep(now, step);
      if (!made.ok) throw new Error(made.problems[0]?.what);
      rows.push({ step, inverse: made.value.inverse });
      documents.push((now = made.value.session));
    };
    for (const step of edits) take(step);
    // Two undone: revisions 4 and 5 lie on the stack of redo, 1 is all that is left to undo.
    take(rows[2]!.inverse);
    take(rows[1]!.inverse);
    await old.pool.query(
      "insert into sessions (id, revision, document, undo, redo) values ('s', 5, $1, '[1]', '[4,5]')",
      [now],
    );
    for (const [i, { step, inverse }] of rows.entries())
      await old.pool.query(
        "insert into steps (session_id, revision, step_id, step, inverse) values ('s', $1, $2, $3, $4)",
        [i + 1, `id-${i + 1}`, step, inverse],
      );

    const manifest = { format: "stemzo-manifest", version: 1, folder: "Small" };
    await old.pool.query(
      `insert into assets (hash, rate, channels, depth, frames, bytes, overview, measures)
       values ('h', 48000, 2, '24', 1, 1, '', '{}')`,
    );
    for (const [id, proof] of [
      ["proven", { manifest, zipBytes: 5 }],
      ["unproven", null],
    ] as const)
      await old.pool.query(
        `insert into handoffs (id, session_id, revision, file_name, mix_before, manifest, bytes, proof, speed)
         values ($1, 's', 1, 'x.zip', 'h', $2, 5, $3, 1)`,
        [id, manifest, proof],
      );

    await migrateDatabase(old);
    const upgraded = { ...manifest, version: 2, papers: [] };
    const handed = await old.pool.query("select id, manifest, proof from handoffs order by id");
    expect(handed.rows).toEqual([
      { id: "proven", manifest: upgraded, proof: { manifest: upgraded, zipBytes: 5 } },
      { id: "unproven", manifest: upgraded, proof: null },
    ]);
    expect(await listSessions(old.db)).toMatchObject([{ id: "s", name: "Small", tracks: document.tracks.length }]);
    expect(await readState(old.db, "s")).toMatchObject({
      revision: 5,
      document: documents[5],
      undo: "Fader to -1",
      redo: "Fader to -2",
    });
    await travel(old.db, "s", "redo");
    expect((await readState(old.db, "s")).document).toEqual(documents[2]);
    await travel(old.db, "s", "redo");
    expect((await readState(old.db, "s")).document).toEqual(documents[3]);
    for (let i = 2; i >= 0; i--) {
      await travel(old.db, "s", "undo");
      expect((await readState(old.db, "s")).document).toEqual(documents[i]);
    }
    expect((await readState(old.db, "s")).undo).toBeNull();
    for (const [revision, was] of documents.entries()) expect(await documentAt(old.db, "s", revision)).toEqual(was);
  } finally {
    await old.pool.end();
    await admin.pool.query(`drop database ${name}`);
    await admin.pool.end();
    rmSync(folder, { recursive: true });
  }
});
