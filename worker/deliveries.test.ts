import type { ChildProcess } from "node:child_process";
import { randomUUID } from "node:crypto";
import { readdirSync, rmSync } from "node:fs";
import { join } from "node:path";
import { pathToFileURL } from "node:url";
import fc from "fast-check";
import { afterAll, beforeAll, describe, expect, inject, test } from "vitest";
import type { Job } from "../contract/job";
import type { ResultOf } from "../contract/job-kinds";
import { applyProfile, profiles } from "../core/delivery/profiles";
import type { Session, Sheet } from "../core/session/document";
import { MOST_OF } from "../core/session/limits";
import type { Step } from "../core/session/edits";
import { openPackage } from "../server/packages/read";
import { checkpointFolder } from "../server/paths";
import type { EarlierPackage } from "./delivery/order";
import {
  readHandoff,
  requestBringBack,
  requestDifferences,
  requestExport,
  requestProof,
} from "../server/services/handoffs";
import { createSession, readState } from "../server/services/sessions";
import { postSteps, travel } from "../server/services/steps";
import type { Fresh } from "../tests/setup/fresh";
import { fresh } from "../tests/setup/fresh";
import { ended, over, proven, startRenderProcess } from "../tests/setup/render-process";
import { smallSession, withLateClip } from "../tests/setup/small-session";
import type { Delivered } from "../tests/truth/deliveries";
import { Workshop, deliver, discard, inPlainFiles, prove, randomOrders, wrongOf } from "../tests/truth/deliveries";
import { ThreadPool } from "./threads/threads";
import { share } from "../tests/setup/share";

let at: Fresh;
let small: Session;
let process: ChildProcess;
beforeAll(async () => {
  at = await fresh();
  small = await smallSession(at);
  process = await startRenderProcess(at);
});
afterAll(async () => {
  process.kill("SIGKILL");
  await ended(process);
  await at.close();
});

const edit = async (id: string, step: Step) => {
  const { revision } = await readState(at.db, id);
  const posted = await postSteps(at.db, id, revision, [{ id: randomUUID(), step }]);
  expect(posted.outcome).not.toBe("behind");
};
const fader = (track: string, faderDb: number): Step => ({
  label: "Fader",
  edits: [{ do: "set", in: "tracks", id: track, patch: { faderDb } }],
});
const sheet = (patch: Partial<Omit<Sheet, "rows">>): Step => ({
  label: "Sheet",
  edits: [{ do: "set sheet", patch: patch as never }],
});
const exported = async (id: string, since: string | null = null, full = true) => {
  const job = await over(at, (await requestExport(at.db, id, { since, full })).id);
  expect(job.fault).toBeNull();
  return proven(at, job.id);
};
const hashesOf = (h: Awaited<ReturnType<typeof exported>>) => new Map(h.manifest.files.map((f) => [f.name, f.sha256]));
const wrongIn = (made: Awaited<ReturnType<typeof exported>>) =>
  made.proof.verdict.checks.flatMap((c) => c.cells.filter((cell) => cell.mark === "wrong"));
const resultOf = <K extends Job["request"]["kind"]>(job: Job) => job.result as ResultOf<K>;

describe("an export after a late edit", () => {
  test("is rendered from there on, whole or only what changed, and its files are a whole export's", async () => {
    const { id } = await createSession(at.db, withLateClip(small, 40));
    const first = await exported(id);
    await edit(id, {
      label: "Move clip",
      edits: [{ do: "set", in: "clips", track: "surf", id: "late", patch: { start: 41 * small.rate } }],
    });
    const rendered = async (made: typeof first) => {
      const { result } = await over(at, made.id);
      return { since: result?.kind === "export" ? result.since?.at : null, files: hashesOf(made) };
    };
    const again = await rendered(await exported(id));
    const changed = await rendered(await exported(id, first.id, false));
    rmSync(checkpointFolder(at.dataRoot), { recursive: true, force: true });
    const whole = await rendered(await exported(id));
    expect(whole.since ?? null).toBeNull();
    // Sixteen seconds lie between two checkpoints; what the clip changes begins at 40 s.
    expect(again.since! / small.rate).toBeGreaterThan(31);
    expect(again.since! / small.rate).toBeLessThan(40);
    expect(again.files).toEqual(whole.files);
    expect(changed.since).toBe(again.since);
    expect([...changed.files.keys()]).toContain("01 Surf.wav");
    for (const [name, hash] of changed.files) expect([name, hash]).toEqual([name, whole.files.get(name)]);
  }, 120_000);
});

describe("a package that carries an earlier one on", () => {
  test("renders what one fader moves, and takes everything else over byte for byte; it is proven like any other", async () => {
    const { id } = await createSession(at.db, small);
    const first = await exported(id);
    await edit(id, fader("pad", -3));
    const second = await exported(id, first.id);
    expect(second.manifest.since).toMatchObject({
      handoff: first.id,
      full: true,
      changed: ["02 Pad.wav", "Small reference mix.wav"],
      unchanged: ["01 Surf.wav", "03 Bars.wav", "04 Hall.wav"],
      whyAll: null,
    });
    const hashes = (h: typeof first) => new Map(h.manifest.files.map((f) => [f.name, f.sha256]));
    const [a, b] = [hashes(first), hashes(second)];
    expect([...b].filter(([name, hash]) => a.get(name) === hash).map(([name]) => name)).toEqual(
      second.manifest.since?.unchanged,
    );
    expect(second.proof.verdict.mark).toBe("right");
    expect(second.proof.residual?.peakDb ?? -Infinity).toBeLessThanOrEqual(-110);
    // All are as long as they were, though rendered anew they could be shorter now.
    expect(new Set(second.manifest.files.map((f) => f.frames))).toEqual(new Set([first.manifest.frames]));
  }, 60_000);

  test("the changed files alone: the sheet says what is missing, and nothing can be carried on from it", async () => {
    const { id } = await createSession(at.db, small);
    const first = await exported(id);
    await edit(id, fader("pad", -2));
    const second = await exported(id, first.id, false);
    expect(second.manifest.files.map((f) => f.name)).toEqual(["02 Pad.wav", "Small reference mix.wav"]);
    const opened = await openPackage(at.store.packages.path(second.id));
    const page = opened.entries.get("Small sheet.html")!.source;
    const bytes = new Uint8Array(page.size);
    page.read(0, bytes);
    opened.close();
    expect(new TextDecoder().decode(bytes)).toContain("keep those you have: 01 Surf.wav, 03 Bars.wav, 04 Hall.wav");
    expect(second.proof.verdict.mark).not.toBe("wrong");
    expect(second.proof.unsummable).toContain("only what changed is in this package");
    await expect(requestExport(at.db, id, { since: second.id, full: true })).rejects.toMatchObject({ status: 409 });
  }, 60_000);

  test("without a mix, none is rendered for one changed stem; with other settings everything is, and it says why", async () => {
    const { id } = await createSession(at.db, small);
    await edit(id, sheet({ mixes: [] }));
    const first = await exported(id);
    expect([first.whole !== null, first.manifest.files.length]).toEqual([true, 4]);
    await edit(id, fader("pad", -1));
    const second = await exported(id, first.id);
    expect([second.whole, second.manifest.whole, second.proof.residual]).toEqual([null, null, null]);
    expect(second.proof.verdict.mark).toBe("right");
    await edit(id, sheet({ depth: "16" }));
    const third = await exported(id, second.id);
    expect(third.manifest.since?.unchanged).toEqual([]);
    expect(third.proof.verdict.mark).not.toBe("wrong");
    await edit(id, sheet({ tail: "fixed", tailSeconds: 1 }));
    const fourth = await exported(id, third.id);
    expect(fourth.manifest.since?.whyAll).toContain("another tail");
    expect(new Set(fourth.manifest.files.map((f) => f.frames)).size).toBe(1);
  }, 60_000);

  test("with trimmed ends a file is taken over only where the pass goes as far as it did", async () => {
    const { id } = await createSession(at.db, small);
    await edit(id, sheet({ ends: "trimmed", tail: "none" }));
    const first = await exported(id);
    await edit(id, sheet({ tail: "measured" }));
    const second = await exported(id, first.id);
    expect(second.manifest.since?.whyAll).toContain("another tail was chosen");
    expect(wrongIn(second)).toEqual([]);
    // What rings went on for longer than the files of the first one.
    const frames = (h: typeof first) => new Map(h.manifest.files.map((f) => [f.name, f.frames]));
    expect(frames(second).get("04 Hall.wav") ?? 0).toBeGreaterThan(frames(first).get("04 Hall.wav") ?? Infinity);
    // Another track's clip moves the session's end.
    const moved = small.tracks.find((t) => t.id === "surf")?.clips[0];
    await edit(id, {
      label: "Move",
      edits: [{ do: "set", in: "clips", track: "surf", id: moved?.id ?? "", patch: { start: 48_000 * 9 } }],
    });
    const third = await exported(id, second.id);
    expect(third.manifest.since?.whyAll).not.toBeNull();
    expect(wrongIn(third)).toEqual([]);
    // The mix alone gets louder: the stems are as they were, and the proof goes as far as they do.
    await edit(id, fader("mix", 3));
    const fourth = await exported(id, third.id);
    expect(fourth.manifest.since?.unchanged.length).toBe(4);
    expect(wrongIn(fourth)).toEqual([]);
  }, 90_000);

  test("is refused as the changed files alone where nothing changed, and says so", async () => {
    const { id } = await createSession(at.db, small);
    const first = await exported(id);
    const job = await over(at, (await requestExport(at.db, id, { since: first.id, full: false })).id);
    expect(job.fault).toMatchObject({ what: expect.stringContaining("Nothing changed"), kept: "No package was made." });
  }, 60_000);

  test("at 16 bits the dither that a file ends with is not taken for a tail that is cut", async () => {
    const { id } = await createSession(at.db, { ...small, sheet: { ...small.sheet, depth: "16" } });
    const first = await exported(id);
    await edit(id, fader("pad", -3));
    const second = await exported(id, first.id);
    expect(second.manifest.since).toMatchObject({ changed: ["02 Pad.wav", "Small reference mix.wav"], whyAll: null });
    expect(second.proof.verdict.mark).not.toBe("wrong");
  }, 60_000);

  test("a handoff of another session is refused", async () => {
    const [one, other] = [await createSession(at.db, small), await createSession(at.db, small)];
    const first = await exported(one.id);
    await expect(requestExport(at.db, other.id, { since: first.id, full: true })).rejects.toMatchObject({
      status: 404,
    });
    await expect(requestDifferences(at.db, first.id, "nothing")).rejects.toMatchObject({ status: 404 });
  });
});

describe("every receiver", () => {
  test.each(profiles.map((p) => [p.name, p] as const))(
    "what is made for %s is right",
    async (_, profile) => {
      const { id } = await createSession(at.db, small);
      await edit(id, applyProfile(small, profile));
      const { document } = await readState(at.db, id);
      expect(document.sheet.receiver).toBe(profile.name);
      const made = await exported(id);
      const wrong = made.proof.verdict.checks.flatMap((c) => c.cells.filter((cell) => cell.mark === "wrong"));
      expect([wrong, made.proof.verdict.sum.mark === "wrong", made.proof.verdict.beside?.mark]).toEqual([
        [],
        false,
        "right",
      ]);
      expect(made.manifest.receiver).toBe(profile.name);
      await travel(at.db, id, "undo");
      expect((await readState(at.db, id)).document).toEqual(small);
    },
    60_000,
  );
});

describe("what was handed on", () => {
  test("comes back onto tracks of its own, muted, where it came from, in one step", async () => {
    const { id } = await createSession(at.db, {
      ...small,
      sheet: { ...small.sheet, from: 480, leadInBars: 1, rate: 44100, format: "flac", mixFormat: "mp3" },
    });
    const made = await exported(id);
    const before = (await readState(at.db, id)).document;
    const job = await over(at, (await requestBringBack(at.db, made.id)).id);
    expect(resultOf<"bring back">(job)).toMatchObject({ files: 5 });
    const { document } = await readState(at.db, id);
    const back = document.tracks.filter((t) => !before.tracks.some((b) => b.id === t.id));
    expect(back.map((t) => [t.name, t.mute])).toEqual(made.manifest.files.map((f) => [f.title, true]));
    // A bar of silence is two seconds; the range begins at a quarter of one.
    for (const t of back) {
      const [clip] = t.clips;
      if (clip?.kind !== "audio") throw new Error("a track has no clip");
      expect([clip.start, clip.offset]).toEqual([0, 96000 - 12000]);
    }
    await travel(at.db, id, "undo");
    expect((await readState(at.db, id)).document.tracks).toEqual(before.tracks);
    expect(readdirSync(join(at.dataRoot, "unfinished"))).toEqual([]);
  }, 60_000);

  test("does not come back into a session that is full: it says so, and nothing is changed", async () => {
    const { id } = await createSession(at.db, small);
    const made = await exported(id);
    const { document } = await readState(at.db, id);
    const empty = { ...document.tracks[0]!, clips: [], takes: [], frozen: null };
    await edit(id, {
      label: "Fill",
      edits: Array.from({ length: MOST_OF.tracks - document.tracks.length }, (_, n) => ({
        ...{ do: "add" as const, in: "tracks" as const, index: 0 },
        item: { ...empty, id: `more-${n}` },
      })),
    });
    const full = await readState(at.db, id);
    const job = await over(at, (await requestBringBack(at.db, made.id)).id);
    expect([job.status, job.fault?.problems]).toEqual([
      "failed",
      [{ where: "tracks", what: `there would be ${MOST_OF.tracks + 5}: at most ${MOST_OF.tracks} can be` }],
    ]);
    expect(await readState(at.db, id)).toMatchObject({ revision: full.revision, document: full.document });
  }, 60_000);

  test("two packages are told apart file by file, and where they differ", async () => {
    const { id } = await createSession(at.db, small);
    const first = await exported(id);
    await edit(id, {
      label: "Move",
      edits: [
        { do: "set", in: "clips", track: "bars", id: "b1", patch: { start: 1440 } },
        { do: "set", in: "rows", id: "row-surf", patch: { name: "Sea" } },
      ],
    });
    const second = await exported(id);
    const job = await over(at, (await requestDifferences(at.db, second.id, first.id)).id);
    const found = resultOf<"differences">(job);
    expect(found.renamed).toEqual([{ from: "01 Surf.wav", to: "01 Sea.wav" }]);
    expect(found.same).toEqual(expect.arrayContaining(["01 Sea.wav", "02 Pad.wav"]));
    expect(found.changed.map((c) => c.name)).toEqual(["03 Bars.wav", "04 Hall.wav", "Small reference mix.wav"]);
    // It began a quarter of a second in, and begins three quarters in now.
    const [bars] = found.changed;
    expect(bars?.spans[0]?.fromS).toBeCloseTo(0.25, 5);
    expect(bars?.peakDb ?? -Infinity).toBeGreaterThan(-60);
  }, 60_000);

  test("a proof can be asked for again", async () => {
    const { id } = await createSession(at.db, small);
    const made = await exported(id);
    const again = await over(at, (await requestProof(at.db, made.id)).id);
    expect(again.result).toMatchObject({ mark: "right" });
    expect((await readHandoff(at.db, made.id)).facts.map((f) => f.name)).toEqual(
      made.manifest.files.map((f) => f.name),
    );
  });
});

test("whatever one fader moves in a random session, what is taken over is what a full export would have made", async () => {
  const workshop = new Workshop(new ThreadPool(pathToFileURL(join(inject("workerFolder"), "task.thread.mjs"))));
  await workshop.prepare();
  let [carried, compared] = [0, 0];
  try {
    for (const [n, order] of fc.sample(randomOrders, { numRuns: share(8), seed: 99 }).entries()) {
      const session = workshop.real(n % 2 === 0 ? order.session : inPlainFiles(order.session));
      const first = await deliver(workshop, session, order.threads);
      if (!first) continue;
      const moved: Session = {
        ...session,
        tracks: session.tracks.map((t, i) => (i === n % session.tracks.length ? { ...t, faderDb: t.faderDb - 2 } : t)),
      };
      const { made } = first;
      const earlier: EarlierPackage = {
        handoff: "first",
        manifest: made.manifest,
        facts: made.facts,
        path: made.zipPath,
        full: true,
      };
      const second = await deliver(workshop, moved, order.threads, earlier);
      const anew = await deliver(workshop, moved, order.threads);
      if (!second || !anew) throw new Error("it could be delivered before");
      const since = second.made.manifest.since!;
      carried += since.unchanged.length;
      const hashes = ({ made: m }: Delivered) => new Map(m.manifest.files.map((f) => [f.name, [f.sha256, f.frames]]));
      const [taken, wanted] = [hashes(second), hashes(anew)];
      for (const [name, [hash, frames]] of taken) {
        // A tail that would be shorter now keeps its length, so that all files have one.
        if (frames !== wanted.get(name)?.[1]) continue;
        expect([name, hash]).toEqual([name, wanted.get(name)?.[0]]);
        compared++;
      }
      const wrong = wrongOf(await prove(workshop, moved, second));
      expect(wrong.filter((text) => !/^(clipping|sum)/.test(text))).toEqual([]);
      for (const d of [first, second, anew]) discard(d);
    }
  } finally {
    await workshop.close();
    rmSync(workshop.dataRoot, { recursive: true, force: true });
  }
  expect([carried > 1, compared > 4]).toEqual([true, true]);
}, 180_000);
