import type { ChildProcess } from "node:child_process";
import { execFileSync } from "node:child_process";
import { randomUUID } from "node:crypto";
import { copyFileSync, mkdirSync, mkdtempSync, readdirSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { dirname, join } from "node:path";
import { afterAll, beforeAll, expect, test } from "vitest";
import type { JobRequest, RequestOf, ResultOf } from "../../contract/job-kinds";
import type { SetFinding } from "../../core/mending/set";
import { gainToDb } from "../../core/math";
import { randomBipolar } from "../../core/random";
import { requestJob } from "../../server/services/jobs";
import type { Fresh } from "../setup/fresh";
import { fresh } from "../setup/fresh";
import { ended, over, proven, startRenderProcess } from "../setup/render-process";
import { share } from "../setup/share";

/**
 * Sets of stems that sox made and sox damaged, checked and mended here, and the handed-on package unpacked and measured
 * with unzip, soxi and ffmpeg against the stems before they were damaged.
 */
let at: Fresh;
let folder: string;
let renderer: ChildProcess;
beforeAll(async () => {
  at = await fresh();
  folder = mkdtempSync(join(tmpdir(), "stemzo-mending-"));
  renderer = await startRenderProcess(at);
});
afterAll(async () => {
  renderer.kill("SIGKILL");
  await ended(renderer);
  await at.close();
  rmSync(folder, { recursive: true, force: true });
});

const run = (command: string, ...args: readonly string[]): Buffer =>
  execFileSync(command, args, { maxBuffer: 1 << 28, stdio: ["ignore", "pipe", "pipe"] });
const samples = (path: string): Float32Array => {
  const raw = run("ffmpeg", "-v", "error", "-i", path, "-f", "f32le", "-");
  return new Float32Array(raw.buffer.slice(raw.byteOffset, raw.byteOffset + raw.byteLength));
};
const framesOf = (path: string): number => Number(run("soxi", "-s", path));

const FRAMES = 120_000;
const names = ["Kick", "Bass", "Keys", "Voice"];

/** Makes a set: band-limited noise that comes and goes, and what sox adds it up to. */
function makeSet(where: string, frames = FRAMES): { readonly stems: readonly string[]; readonly mix: string } {
  mkdirSync(where, { recursive: true });
  const stems = names.map((name, i) => {
    const path = join(where, `${name}.wav`);
    run(
      "sox",
      ...["-n", "-D", "-r", "48000", "-b", "24", "-c", "2", path, "synth", `${frames}s`, "pinknoise", "pinknoise"],
      ...["tremolo", String(1.3 + 0.7 * i), "90", "sinc", `-${5000 + 1000 * i}`, "gain", "-14"],
      ...["trim", "0", `${frames}s`, "fade", "t", "0.05", "-0", "0.05"],
    );
    return path;
  });
  const mix = join(where, "Song mix.wav");
  run("sox", "-D", "-m", ...stems.flatMap((s) => ["-v", "1", s]), mix);
  return { stems, mix };
}

/** What sox does to a file of a set. */
const damages: Readonly<Record<string, (n: number) => readonly string[]>> = {
  late: (n) => ["pad", `${n}s@0`, "trim", "0", `${FRAMES}s`],
  early: (n) => ["trim", `${n}s`, "pad", "0", `${n}s`],
  cut: (n) => ["trim", "0", `${FRAMES - n}s`],
  padded: (n) => ["pad", "0", `${n}s`],
  "padded in front": (n) => ["pad", `${n}s@0`],
  silent: () => ["vol", "0"],
  clipped: () => ["vol", "30"],
  swapped: () => ["remix", "2", "1"],
  "one side": () => ["remix", "1", "1"],
  "other rate": () => ["rate", "-v", "44100"],
  "turned over": () => ["vol", "-1"],
  quieter: () => ["vol", "0.5"],
};

async function asked<K extends "look" | "judge" | "mend">(request: RequestOf<K>): Promise<ResultOf<K>> {
  const job = await over(at, (await requestJob(at.db, null, request as JobRequest)).id);
  expect(job.fault).toBeNull();
  return job.result as ResultOf<K>;
}

const sent = (paths: readonly string[]) =>
  paths.map((path) => {
    const upload = randomUUID();
    const to = at.store.uploads.path(upload);
    mkdirSync(dirname(to), { recursive: true });
    copyFileSync(path, to);
    return { upload, path: `Song/${path.replace(/^.*\//, "")}` };
  });

/** Checks and mends a set as it lies there; answers with what was found and the files of the package. */
async function mended(paths: readonly string[], where: string) {
  const files = sent(paths);
  const { judged } = await asked<"judge">({ kind: "judge", files, candidate: "files", mix: null });
  const made = await asked<"mend">({
    kind: "mend",
    files,
    candidate: "files",
    name: "",
    bpm: null,
    judged,
    handOn: true,
  });
  await over(at, made.export ?? "");
  const handoff = await proven(at, made.export ?? "");
  const out = join(where, "out");
  mkdirSync(out);
  run("unzip", "-q", at.store.packages.path(handoff.id), "-d", out);
  const inner = join(out, readdirSync(out)[0] ?? "");
  const file = (name: string) => {
    const found = readdirSync(inner).find((f) => f.endsWith(".wav") && f.includes(name));
    return found === undefined ? null : join(inner, found);
  };
  return { judged, handoff, file };
}

const named = (findings: readonly SetFinding[]) =>
  findings.filter((f) => f.weight !== "know").map((f) => ({ ...f, file: "file" in f ? f.file : null }));

function offDb(a: Float32Array, b: Float32Array): number {
  let peak = 0;
  for (let i = 0; i < Math.max(a.length, b.length); i++) peak = Math.max(peak, Math.abs((a[i] ?? 0) - (b[i] ?? 0)));
  return gainToDb(peak);
}

test("what sox damaged is named with its file and size, and what is handed on is as it was before, to the sample", async () => {
  // All of them are planted in memory, in core/mending.
  const every = ["other rate", "late", "padded in front", "doubled", ...Object.keys(damages), "missing", "none"];
  const kinds = [...new Set(every)].slice(0, share(14, 4));
  for (const [i, kind] of kinds.entries()) {
    const where = join(folder, kind.replaceAll(" ", "-"));
    const { stems, mix } = makeSet(where);
    const victim = i % stems.length;
    const path = stems[victim] as string;
    const name = names[victim] as string;
    const n = 1 + Math.floor(15_000 * (1 + randomBipolar(1611, i)));
    const before = stems.map(samples);
    const damaged = join(where, "damaged");
    mkdirSync(damaged);
    const files = stems.map((s) => join(damaged, s.replace(/^.*\//, "")));
    stems.forEach((s, k) => copyFileSync(s, files[k] as string));
    const now = files[victim] as string;
    const damage = damages[kind];
    if (damage) {
      run("sox", "-D", path, now, ...damage(n));
      // The mix of a stem that is mono was made of it.
      if (kind === "one side") run("sox", "-D", "-m", ...files.flatMap((s) => ["-v", "1", s]), mix);
    }
    if (kind === "doubled") copyFileSync(path, join(damaged, "Once again.wav"));
    if (kind === "missing") files.splice(victim, 1);
    const all = [...files, ...(kind === "doubled" ? [join(damaged, "Once again.wav")] : []), mix];
    const { judged, handoff, file } = await mended(all, where);
    const found = named(judged.findings);
    const victimPath = `Song/${name}.wav`;
    const wanted: Readonly<Record<string, object>> = {
      late: { kind: "shifted", file: victimPath, frames: n },
      early: { kind: "shifted", file: victimPath, frames: -n },
      cut: { kind: "cut", file: victimPath, frames: n },
      padded: { kind: "padded", file: victimPath, frames: n, silent: true },
      "padded in front": { kind: "shifted", file: victimPath, frames: n },
      silent: { kind: "silent", file: victimPath },
      clipped: { kind: "clipped", file: victimPath },
      swapped: { kind: "swapped sides", file: victimPath },
      "one side": { kind: "mono as stereo", file: victimPath },
      "other rate": { kind: "other rate", file: victimPath, rate: 44100, common: 48000 },
      "turned over": { kind: "inverted", file: victimPath },
      quieter: { kind: "gain", file: victimPath },
      doubled: { kind: "doubled" },
      missing: { kind: "missing" },
    };
    if (kind === "none") expect(found).toEqual([]);
    else expect([kind, found]).toEqual([kind, expect.arrayContaining([expect.objectContaining(wanted[kind] ?? {})])]);
    for (const f of found)
      if (f.file !== null && kind !== "doubled") expect([kind, f.kind, f.file]).toEqual([kind, f.kind, victimPath]);
    // A clipped file stays clipped, and the package's own proof says so.
    if (kind !== "clipped") expect([kind, handoff.proof.verdict.mark]).not.toEqual([kind, "wrong"]);
    for (const [k, stem] of names.entries()) {
      const there = file(stem);
      if (kind === "missing" && k === victim) {
        expect(there).toBeNull();
        continue;
      }
      if (there === null && kind === "doubled") continue;
      expect([kind, stem, there !== null]).toEqual([kind, stem, true]);
      expect([kind, stem, framesOf(there ?? "")]).toEqual([kind, stem, FRAMES]);
      const is = samples(there ?? "");
      const isWide = is.length === 2 * FRAMES;
      const was = before[k] as Float32Array;
      const left = isWide ? was : was.filter((_, s) => s % 2 === 0);
      // What a damage took away stays away; every other file is what it was.
      const lasting = k === victim && ["silent", "clipped", "cut", "late", "early"].includes(kind);
      const limit = kind === "other rate" && k === victim ? -60 : -120;
      if (lasting && kind !== "late" && kind !== "early") continue;
      const gone = kind === "late" || kind === "early" ? n : 0;
      const kept = (s: Float32Array) =>
        !lasting ? s : kind === "late" ? s.subarray(0, s.length - 2 * gone) : s.subarray(2 * gone);
      if (kind === "one side" && k === victim) expect(isWide).toBe(false);
      expect([kind, stem, offDb(kept(is), kept(left)) < limit]).toEqual([kind, stem, true]);
    }
    rmSync(where, { recursive: true, force: true });
  }
}, 300_000);

test("a stem that sox made run at another speed is named with its clock, and resampled to the others'", async () => {
  const frames = 600_000;
  const where = join(folder, "drift");
  const { stems, mix } = makeSet(where, frames);
  const was = samples(stems[2] as string);
  const damaged = join(where, "Keys.wav");
  run("mv", damaged, join(where, "Keys before.wav"));
  run("sox", "-D", join(where, "Keys before.wav"), damaged, "speed", "1.00002", "pad", "0", "40s");
  run("sox", "-D", damaged, join(where, "cut.wav"), "trim", "0", `${frames}s`);
  run("mv", join(where, "cut.wav"), damaged);
  const { judged, handoff, file } = await mended([...stems, mix], where);
  const [drift, ...more] = judged.findings.filter((f) => f.weight === "wrong");
  expect([drift, more]).toMatchObject([{ kind: "drift", file: "Song/Keys.wav" }, []]);
  expect(drift?.kind === "drift" ? drift.ppm : 0).toBeCloseTo(20, 0);
  expect(handoff.proof.verdict.mark).not.toBe("wrong");
  const is = samples(file("Keys") ?? "");
  expect(is.length).toBe(2 * frames);
  let [off, whole] = [0, 0];
  for (let i = 2000; i < 2 * frames - 2000; i++) {
    off += ((is[i] ?? 0) - (was[i] ?? 0)) ** 2;
    whole += (was[i] ?? 0) ** 2;
  }
  expect(gainToDb(Math.sqrt(off / whole))).toBeLessThan(-45);
}, 300_000);
