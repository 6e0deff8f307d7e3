import type { ChildProcess } from "node:child_process";
import { randomUUID } from "node:crypto";
import { execFileSync } from "node:child_process";
import { copyFileSync, mkdirSync, mkdtempSync, readdirSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { dirname, join } from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "vitest";
import type { Arrival, Candidate } from "../contract/intake";
import { isOver } from "../contract/job-progress";
import type { RequestOf, ResultOf } from "../contract/job-kinds";
import type { Session, SessionFile } from "../core/session/document";
import { sessionFileSchema } from "../core/session/document";
import type { Tap } from "../core/engine/tap";
import { MIX_OUT, differenceDb, listen, tapAt } from "../core/testing/listen";
import { requestExport } from "../server/services/handoffs";
import { cancelJob, requestJob } from "../server/services/jobs";
import { createSession, readState } from "../server/services/sessions";
import type { Fresh } from "../tests/setup/fresh";
import { fresh } from "../tests/setup/fresh";
import { ended, over, proven, startRenderProcess, until } from "../tests/setup/render-process";
import { smallSession } from "../tests/setup/small-session";

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

const kinds = ["aaf", "adl", "otio", "dawproject", "midi", "bundle"] as const;
const told = (how: Partial<SessionFile> = {}): Session["sheet"]["sessionFiles"] =>
  kinds.map((kind) => sessionFileSchema.parse({ kind, ...how }));
const withFiles = (session: Session, sessionFiles: Session["sheet"]["sessionFiles"]): Session => ({
  ...session,
  sheet: { ...session.sheet, sessionFiles },
});

/** Sends a file, as `/api/uploads` keeps it. */
function sent(path: string, name: string) {
  const upload = randomUUID();
  const to = at.store.uploads.path(upload);
  mkdirSync(dirname(to), { recursive: true });
  copyFileSync(path, to);
  return { upload, path: name };
}

async function looked(files: RequestOf<"look">["files"]): Promise<Arrival> {
  const job = await over(at, (await requestJob(at.db, null, { kind: "look", files })).id);
  expect(job.fault).toBeNull();
  return (job.result as ResultOf<"look">).arrival;
}

async function takenIn(
  files: RequestOf<"look">["files"],
  { id }: Pick<Candidate, "id">,
  more: Partial<RequestOf<"take in">> = {},
): Promise<ResultOf<"take in"> & { readonly document: Session }> {
  const request: RequestOf<"take in"> = {
    kind: "take in",
    files,
    candidate: id,
    into: null,
    name: "",
    frame: 0,
    withTempo: false,
    bpm: null,
    joinPairs: true,
    muted: false,
    ...more,
  };
  const job = await over(at, (await requestJob(at.db, request.into, request)).id);
  expect(job.fault).toBeNull();
  const result = job.result as ResultOf<"take in">;
  return { ...result, document: (await readState(at.db, result.session)).document };
}

async function exported(session: Session, only: "session files" | null = null) {
  const { id } = await createSession(at.db, session);
  const job = await over(at, (await requestExport(at.db, id, { since: null, full: true, only })).id);
  expect(job.fault).toBeNull();
  return { ...(await proven(at, job.id)), of: id };
}

describe("a session whose files are not all there", () => {
  test("stands with silence, is supplied later in one step, and sounds as it was told then", async () => {
    const aside = withFiles(small, told({ audio: "beside" }).slice(0, 1));
    const handoff = await exported(aside, "session files");
    const [facts] = handoff.manifest.sessionFiles;
    const folder = mkdtempSync(join(tmpdir(), "stemzo-supply-"));
    execFileSync("unzip", ["-q", at.store.packages.path(handoff.id), "-d", folder]);
    const inside = (name: string) => join(folder, handoff.manifest.folder, name);
    const alone = [sent(inside(facts!.name), "Small.aaf")];
    const [candidate] = (await looked(alone)).candidates;
    expect(candidate?.media.map((m) => m.state)).toEqual(candidate?.media.map(() => "missing"));
    const opened = await takenIn([sent(inside(facts!.name), "Small.aaf")], candidate!);
    expect(opened.missing).toBe(candidate?.media.length);
    const media = facts!.beside.filter((b) => b.name.endsWith(".wav"));
    const files = media.map((b) => sent(inside(b.name), b.name.replace(/^.*\//, "")));
    const job = await over(at, (await requestJob(at.db, opened.session, { kind: "supply", files })).id);
    expect(job.fault).toBeNull();
    const result = job.result as ResultOf<"supply">;
    expect([result.missing, result.left, result.supplied.length]).toEqual([0, [], media.length]);
    const supplied = await readState(at.db, opened.session);
    expect(supplied.revision).toBe(1);
    // What stood there in silence had as many channels as the file of which it stood.
    const widths = ({ assets }: Session) => assets.map((a) => a.channels).sort();
    expect(widths(opened.document)).toEqual(widths(supplied.document));
    const all = [inside(facts!.name), ...media.map((b) => inside(b.name))];
    const whole = await takenIn(
      all.map((path) => sent(path, path.slice(inside("").length))),
      (await looked(all.map((path) => sent(path, path.slice(inside("").length))))).candidates[0]!,
    );
    const library = at.store.library();
    const heard = ({ document }: { readonly document: Session }, tap: Tap) =>
      listen(document, [tap], { library: library.find })[0]!;
    // Two sides are joined where both have come, and stay two tracks where they came later.
    for (const track of supplied.document.tracks.filter((t) => t.kind === "audio" && !/ [LR]$/.test(t.name))) {
      const was = heard(whole, tapAt("clip", whole.document.tracks.find((t) => t.name === track.name)!.id));
      expect([track.name, differenceDb(was, heard(supplied, tapAt("clip", track.id)))]).toEqual([
        track.name,
        -Infinity,
      ]);
    }
    expect(differenceDb(heard(whole, MIX_OUT), heard(supplied, MIX_OUT))).toBeLessThan(-140);
    library.close();
    rmSync(folder, { recursive: true });
  }, 120_000);
});

describe("a pair of which one side is missing", () => {
  test("stays two tracks; the side is supplied under its own name, and both sound as the joined one", async () => {
    const how = { kind: "aaf", audio: "beside", stereo: "two mono" } as const;
    const handoff = await exported(withFiles(small, [sessionFileSchema.parse(how)]), "session files");
    const [facts] = handoff.manifest.sessionFiles;
    const folder = mkdtempSync(join(tmpdir(), "stemzo-side-"));
    execFileSync("unzip", ["-q", at.store.packages.path(handoff.id), "-d", folder]);
    const inside = (name: string) => join(folder, handoff.manifest.folder, name);
    const media = facts!.beside.filter((b) => b.name.endsWith(".wav")).map((b) => b.name);
    const rights = media.filter((name) => / R\.wav$/.test(name));
    expect(rights.length).toBeGreaterThan(0);
    const bring = (names: readonly string[]) => names.map((name) => sent(inside(name), name));
    const taken = async (names: readonly string[]) => {
      const candidate = (await looked(bring(names))).candidates.find((c) => c.kind === "aaf")!;
      // A file is announced as missing only if it is.
      const gone = candidate.media.filter((m) => m.state === "missing").length;
      expect(candidate.losses.some((l) => l.part === "missing media")).toBe(gone > 0);
      return takenIn(bring(names), candidate);
    };
    const whole = await taken([facts!.name, ...media]);
    const half = await taken([facts!.name, ...media.filter((name) => !rights.includes(name))]);
    expect([whole.missing, half.missing]).toEqual([0, rights.length]);
    const files = rights.map((name) => sent(inside(name), name.replace(/^.*\//, "")));
    const job = await over(at, (await requestJob(at.db, half.session, { kind: "supply", files })).id);
    expect((job.result as ResultOf<"supply"> | null)?.missing).toBe(0);
    const { document } = await readState(at.db, half.session);
    expect(document.tracks.length).toBe(whole.document.tracks.length + rights.length);
    const library = at.store.library();
    const [was] = listen(whole.document, [MIX_OUT], { library: library.find });
    const [is] = listen(document, [MIX_OUT], { library: library.find });
    expect(differenceDb(was!, is!)).toBeLessThan(-140);
    library.close();
    rmSync(folder, { recursive: true });
  }, 120_000);
});

describe("looking, checking and mending", () => {
  test("stop when they are asked to, and leave nothing behind", async () => {
    const folder = mkdtempSync(join(tmpdir(), "stemzo-cancel-"));
    const paths = ["Kick", "Bass", "Song mix"].map((name) => join(folder, `${name}.wav`));
    for (const path of paths)
      execFileSync("sox", [
        ...["-n", "-D", "-r", "48000", "-b", "24", "-c", "2", path, "synth", "90", "pinknoise", "gain", "-12"],
      ]);
    const files = paths.map((path) => sent(path, path.slice(folder.length + 1)));
    for (const kind of ["look", "judge"] as const) {
      const request = kind === "look" ? { kind, files } : { kind, files, candidate: "files", mix: null };
      const { id } = await requestJob(at.db, null, request);
      await until(
        at,
        id,
        (job) => (job.status === "running" && job.progress.stage !== "starting") || isOver(job.status),
      );
      const began = performance.now();
      await cancelJob(at.db, id);
      const ended = await over(at, id);
      // One that was quicker than the wish is done.
      expect([kind, ["cancelled", "done"].includes(ended.status)]).toEqual([kind, true]);
      if (kind === "judge") expect(ended.status).toBe("cancelled");
      expect(performance.now() - began).toBeLessThan(10_000);
    }
    expect(readdirSync(join(at.dataRoot, "unfinished"))).toEqual([]);
    rmSync(folder, { recursive: true });
  }, 120_000);
});

describe("what comes back to a session", () => {
  test("a revised stem and a mix stand muted below what they answer, in line with what was sent", async () => {
    const handoff = await exported(withFiles(small, []));
    const folder = mkdtempSync(join(tmpdir(), "stemzo-back-"));
    execFileSync("unzip", ["-q", at.store.packages.path(handoff.id), "-d", folder]);
    const inside = (name: string) => join(folder, handoff.manifest.folder, name);
    const surf = handoff.manifest.files.find((f) => f.title === "Surf")!;
    const mix = handoff.manifest.files.find((f) => f.role === "reference mix")!;
    const revised = join(folder, "Surf v2.wav");
    const late = join(folder, "Song master.wav");
    execFileSync("sox", ["-D", inside(surf.name), revised, "vol", "0.5"]);
    execFileSync("sox", ["-D", inside(mix.name), late, "pad", "480s@0"]);
    const files = () => [sent(revised, "Surf v2.wav"), sent(late, "Song master.wav")];
    const [candidate] = (await looked(files())).candidates;
    const back = await takenIn(files(), candidate!, { into: handoff.of, frame: 9999 });
    const told = Object.fromEntries(back.answers.map((a) => [a.name, a]));
    expect(told["Surf v2"]).toMatchObject({ title: "Surf", aligned: { shift: 0 } });
    expect(told["Surf v2"]?.aligned?.gainDb).toBeCloseTo(-6.02, 1);
    expect(told["Surf v2"]?.aligned?.alike).toBeGreaterThan(0.99);
    expect(told["Song master"]).toMatchObject({ title: mix.title, aligned: { shift: -480 } });
    const { tracks } = back.document;
    const names = tracks.map((t) => t.name);
    expect(names.indexOf("Surf v2")).toBe(names.indexOf("Surf") + 1);
    expect(names.indexOf("Song master")).toBe(names.length - 2);
    for (const [name, offset] of [
      ["Surf v2", 0],
      ["Song master", 480],
    ] as const) {
      const track = tracks.find((t) => t.name === name)!;
      expect([name, track.mute, track.clips[0]]).toMatchObject([name, true, { start: 0, offset }]);
    }
    rmSync(folder, { recursive: true });
  }, 120_000);
});

describe("a session that goes out as every kind of session file and comes in again", () => {
  test("each is recognised in the package, opened as a session of its own, and sounds as it was told", async () => {
    const handoff = await exported(withFiles(small, told()), "session files");
    expect(handoff.manifest.files).toEqual([]);
    expect(handoff.manifest.sessionFiles.map((f) => f.kind)).toEqual([...kinds]);
    expect(handoff.proof.verdict).toMatchObject({ mark: "right", beside: { mark: "right" } });
    const path = at.store.packages.path(handoff.id);
    const arrival = await looked([sent(path, handoff.fileName)]);
    expect(arrival.left).toEqual([]);
    const library = at.store.library();
    for (const kind of ["aaf", "adl", "otio", "dawproject"] as const) {
      const candidate = arrival.candidates.find((c) => c.kind === kind);
      expect(candidate?.media.map((m) => m.state)).not.toContain("missing");
      const { document } = await takenIn([sent(path, handoff.fileName)], candidate!);
      for (const [name, tap] of [
        ["Surf", "devices"],
        ["Pad", "devices"],
        ["Bars", "devices"],
      ] as const) {
        const [was] = listen(small, [tapAt(tap, name.toLowerCase())], { library: library.find });
        const track = document.tracks.find((t) => t.name === name);
        const [is] = listen(document, [tapAt("clip", track?.id ?? "")], { library: library.find });
        const length = was!.left.length;
        const whole = (side: Float32Array) => {
          const made = new Float32Array(length);
          made.set(side.subarray(0, length));
          return made;
        };
        const off = differenceDb(was!, { left: whole(is!.left), right: whole(is!.right) });
        expect([kind, name, off < -140]).toEqual([kind, name, true]);
      }
    }
    library.close();
    const bundle = arrival.candidates.find((c) => c.kind === "bundle");
    const opened = await takenIn([sent(path, handoff.fileName)], bundle!);
    expect(opened.document).toEqual(withFiles(small, told()));
    const midi = arrival.candidates.find((c) => c.kind === "midi");
    const notes = await takenIn([sent(path, handoff.fileName)], midi!);
    expect(notes.document.tracks.filter((t) => t.kind === "instrument").map((t) => t.name)).toEqual(["Pad", "Bars"]);
  }, 120_000);

  test("and so with other options: beside, as two mono files, cut with handles, at other frame rates, printed otherwise", async () => {
    const options: readonly (readonly [Partial<SessionFile>, tap: "devices" | "channel"])[] = [
      [
        {
          ...{ kind: "aaf", audio: "beside", stereo: "two mono", media: "what is played", handleSeconds: 0.25 },
          ...{ frameRate: "29.97 drop", startPictureFrames: 107_892, print: "channels" },
        },
        "channel",
      ],
      [{ kind: "adl", frameRate: "24", startPictureFrames: 86_400, printDepth: "32f" }, "devices"],
      [{ kind: "otio", print: "channels", media: "what is played", handleSeconds: 1 }, "channel"],
      [{ kind: "dawproject", print: "both", printDepth: "32f" }, "devices"],
    ];
    const asked = options.map(([how]) => sessionFileSchema.parse(how));
    const handoff = await exported(withFiles(small, asked), "session files");
    expect(handoff.proof.verdict).toMatchObject({ mark: "right", beside: { mark: "right" } });
    const path = at.store.packages.path(handoff.id);
    const arrival = await looked([sent(path, handoff.fileName)]);
    const library = at.store.library();
    for (const [{ kind }, tap] of options) {
      const candidate = arrival.candidates.find((c) => c.kind === kind);
      expect([kind, candidate?.media.some((m) => m.state === "missing")]).toEqual([kind, false]);
      const { document } = await takenIn([sent(path, handoff.fileName)], candidate!);
      const [was] = listen(small, [tapAt(tap, "surf")], { library: library.find });
      const sounding = document.tracks.filter((t) => /^Surf( L| R)?$/.test(t.name) && !t.mute && t.clips.length > 0);
      expect([kind, sounding.length]).toEqual([kind, 1]);
      const [is] = listen(document, [tapAt("clip", sounding[0]!.id)], { library: library.find });
      const fitted = (side: Float32Array) => {
        const made = new Float32Array(was!.left.length);
        made.set(side.subarray(0, made.length));
        return made;
      };
      const off = differenceDb(was!, { left: fitted(is!.left), right: fitted(is!.right) });
      expect([kind, off < -130]).toEqual([kind, true]);
    }
    library.close();
  }, 120_000);
});
