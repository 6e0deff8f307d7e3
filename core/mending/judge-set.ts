import type { AudioReader } from "../audio/audio-reader";
import { dbToGain } from "../math";
import type { Frames } from "../units";
import type { Damage } from "./against-mix";
import { againstMix } from "./against-mix";
import { beginningsOf, dulledFirstHit } from "./heard";
import { heardTempo } from "./tempo";
import type { Judged, Mend, SetFile, SetFinding } from "./set";
import { unmended } from "./unmended";

const BLOCK: Frames = 16384;
/** A file that ends louder has been cut. */
const CUT_DB = -60;
const SILENT_DB = -90;
/** Two files that differ by no more are one. */
const SAME_DB = -80;

/** Beats to the minute where they are the same throughout. */
export type StatedTempo = number | "changing" | "nowhere";

/**
 * Judges a set of stems by itself: one rate, depth, length and start; what is silent, clipped, doubled, mono stored as
 * stereo; and against a mix, where there is one, what is shifted, swapped, missing. `rate`: the set's; files are opened
 * at it. `onProgress` is told 0 to 1 and throws to stop.
 */
export function judgeSet(
  files: readonly SetFile[],
  mix: SetFile | null,
  {
    rate,
    tempo,
    onProgress,
  }: { readonly rate: number; readonly tempo: StatedTempo; readonly onProgress: (part: number) => void },
): Judged {
  const all = mix ? [...files, mix] : files;
  const findings: SetFinding[] = [];
  for (const f of all)
    if (f.rate !== rate)
      findings.push({ kind: "other rate", weight: "wrong", file: f.path, rate: f.rate, common: rate });
  const whole = all.filter((f) => f.codec === null);
  const depth = most(whole.map((f) => f.depth));
  for (const f of all)
    if (f.codec !== null) findings.push({ kind: "compressed", weight: "look", file: f.path, codec: f.codec });
  for (const f of whole)
    if (depth !== null && f.depth !== depth)
      findings.push({ kind: "other depth", weight: "look", file: f.path, depth: f.depth, common: depth });
  for (const f of files) {
    const { peakDb, clippedRuns, mono } = f.measures;
    if (peakDb === null || peakDb < SILENT_DB) findings.push({ kind: "silent", weight: "wrong", file: f.path });
    if (clippedRuns > 0 && !f.depth.endsWith("f"))
      findings.push({ kind: "clipped", weight: "wrong", file: f.path, runs: clippedRuns });
    if (mono && f.audio.channels === 2 && peakDb !== null)
      findings.push({ kind: "mono as stereo", weight: "look", file: f.path });
  }
  const mends = files.map((f): Mend => ({
    ...unmended(f.path, f.name),
    mono: f.measures.mono && f.audio.channels === 2,
  }));
  onProgress(0.05);
  doubled(files).forEach((of, i) => {
    if (of === null) return;
    findings.push({ kind: "doubled", weight: "wrong", file: files[i]?.path ?? "", of });
    mends[i] = { ...(mends[i] as Mend), leaveOut: true };
  });
  onProgress(0.1);
  const beginnings = beginningsOf(
    files.map((f) => f.audio),
    rate,
    (part) => onProgress(0.1 + 0.1 * part),
  );
  files.forEach((f, i) => {
    const dulled = dulledFirstHit(f.audio, beginnings[i]?.frames ?? [], rate);
    if (dulled) findings.push({ kind: "dulled first hit", weight: "know", file: f.path, ...dulled });
  });
  const stamps = starts(all);
  let judged = mends as readonly Mend[];
  let residualDb: number | null = null;
  const content = new Map<string, Frames>();
  if (mix) {
    const common = commonLength(all);
    const damaged = new Map<string, Damage>();
    for (const f of findings) if (f.kind === "silent" || f.kind === "clipped") damaged.set(f.file, f.kind);
    // What was converted or compressed is not what the mix was made of, here and there.
    for (const f of files) if (f.rate !== rate || f.codec !== null) damaged.set(f.path, "converted");
    for (const f of files) if (common !== null && f.frames < common && !damaged.has(f.path)) damaged.set(f.path, "cut");
    const held = againstMix(files, mix, mends, damaged, (part) => onProgress(0.2 + 0.75 * part));
    judged = held.mends;
    residualDb = held.residualDb;
    for (const f of held.findings) {
      if (f.kind === "shifted") {
        content.set(f.file, (content.get(f.file) ?? 0) + f.frames);
        // Its stamp may say the same: then it is where it belongs, and only begins elsewhere.
        const stamp = stamps.get(f.file) ?? 0;
        findings.push(stamp !== 0 && stamp === -f.frames ? { ...f, by: "stamp", frames: stamp, weight: "look" } : f);
      } else findings.push(f);
    }
  }
  for (const [file, frames] of stamps) {
    const shift = content.get(file);
    if (frames === 0 || shift === -frames) continue;
    if (mix && file !== mix.path) findings.push({ kind: "wrong stamp", weight: "look", file, frames });
    else {
      findings.push({ kind: "shifted", weight: "look", file, frames, by: "stamp" });
      judged = judged.map((m) => (m.path === file ? { ...m, shift: m.shift + frames } : m));
    }
  }
  for (const f of lengths(all, rate, content)) {
    findings.push(f);
    if (f.kind === "padded" && f.front)
      judged = judged.map((m) => (m.path === f.file ? { ...m, shift: m.shift - f.frames } : m));
  }
  findings.push(...names(files));
  if (!mix && files.length > 1) findings.push({ kind: "no mix", weight: "know" });
  if (tempo !== "changing") {
    const stated = tempo === "nowhere" ? null : tempo;
    const heard = heardTempo(beginnings, rate, stated);
    if (stated === null) findings.push({ kind: "no tempo", weight: "know", heard });
    else if (heard !== null) findings.push({ kind: "other tempo", weight: "look", stated, heard });
  }
  const rank = { wrong: 0, look: 1, know: 2 } as const;
  const reach = files.map((f, i) => f.frames + (judged[i]?.shift ?? 0));
  const common = commonLength(all);
  return {
    rate,
    depth: DEPTHS.find((d) => d === depth) ?? (whole.every((f) => f.depth === "16") && whole.length > 0 ? "16" : "24"),
    frames: common ?? Math.max(0, mix?.frames ?? 0, ...reach),
    mix: mix?.path ?? null,
    findings: findings.sort((a, b) => rank[a.weight] - rank[b.weight]),
    mends: judged,
    residualDb,
  };
}

const DEPTHS = ["16", "24", "32f"] as const;

/** What is there most often; null where nothing is there twice. */
function most<T>(values: readonly T[]): T | null {
  const counts = new Map<T, number>();
  for (const v of values) counts.set(v, (counts.get(v) ?? 0) + 1);
  const [first] = [...counts].sort((a, b) => b[1] - a[1]);
  return first && (first[1] > 1 || counts.size === 1) ? first[0] : null;
}

/** The length that at least half of a set has; null where every file ends where it likes. */
function commonLength(files: readonly SetFile[]): Frames | null {
  const length = most(files.map((f) => f.frames));
  const share = files.filter((f) => f.frames === length).length;
  return length !== null && share * 2 >= files.length ? length : null;
}

/** How far each file's stamp is from the one that most have, in frames. */
function starts(files: readonly SetFile[]): ReadonlyMap<string, Frames> {
  const stamped = files.filter((f) => f.timeReference !== null);
  const common = most(stamped.map((f) => f.timeReference));
  if (common === null) return new Map();
  return new Map(stamped.map((f) => [f.path, (f.timeReference as Frames) - common]));
}

/** Files that are longer or shorter than the others; what a shift explains is not said twice. */
function lengths(files: readonly SetFile[], rate: number, shifts: ReadonlyMap<string, Frames>): readonly SetFinding[] {
  const common = commonLength(files);
  return files.flatMap((f): SetFinding[] => {
    const { endDb, firstSound } = f.measures;
    const { path, audio } = f;
    if (common === null)
      return endDb !== null && endDb > CUT_DB ? [{ kind: "cut", weight: "look", file: path, frames: 0, endDb }] : [];
    const more = f.frames - common;
    // A conversion rounds, and an encoder fills its last blocks.
    const tolerance = f.codec !== null ? CODEC_FRAMES : f.rate !== rate ? 2 : 0;
    if (Math.abs(more) <= tolerance || more === shifts.get(path)) return [];
    if (more < 0) {
      const weight = endDb !== null && endDb > CUT_DB ? "wrong" : "look";
      return [{ kind: "cut", weight, file: path, frames: -more, endDb }];
    }
    const silent = isSilentFrom(audio, common);
    const front = !silent && !shifts.has(path) && firstSound !== null && firstSound >= more;
    return [{ kind: "padded", weight: front || !silent ? "wrong" : "look", file: path, frames: more, silent, front }];
  });
}

/** As many frames as an encoder may add in front and behind. */
const CODEC_FRAMES: Frames = 4608;

function isSilentFrom(audio: AudioReader, from: Frames): boolean {
  const floor = dbToGain(SILENT_DB);
  const [left, right] = [new Float32Array(BLOCK), new Float32Array(BLOCK)];
  for (let at = from; at < audio.frames; at += BLOCK) {
    const n = Math.min(BLOCK, audio.frames - at);
    audio.read(at, n, left, right, 0);
    for (let i = 0; i < n; i++)
      if (Math.abs(left[i] as number) > floor || Math.abs(right[i] as number) > floor) return false;
  }
  return true;
}

/** For each file the path of another that it is the same as, and less plainly called than; null: of none. */
function doubled(files: readonly SetFile[]): readonly (string | null)[] {
  const plainFirst = files
    .map((_, i) => i)
    .sort((a, b) => (files[a]?.name.length ?? 0) - (files[b]?.name.length ?? 0) || a - b);
  const made = files.map((): string | null => null);
  plainFirst.forEach((i, place) => {
    const f = files[i] as SetFile;
    if (f.measures.peakDb === null) return;
    const same = plainFirst.slice(0, place).find((k) => {
      const o = files[k] as SetFile;
      const [a, b] = [f.measures.peakDb ?? 0, o.measures.peakDb];
      return b !== null && Math.abs(a - b) < 0.05 && isSame(f.audio, o.audio);
    });
    made[i] = same === undefined ? null : (files[same]?.path ?? null);
  });
  return made;
}

function isSame(a: AudioReader, b: AudioReader): boolean {
  if (Math.abs(a.frames - b.frames) > BLOCK) return false;
  const floor = dbToGain(SAME_DB);
  const buffers = [0, 1, 2, 3].map(() => new Float32Array(BLOCK)) as [
    Float32Array,
    Float32Array,
    Float32Array,
    Float32Array,
  ];
  const [al, ar, bl, br] = buffers;
  for (let at = 0; at < Math.min(a.frames, b.frames); at += BLOCK) {
    const n = Math.min(BLOCK, a.frames - at, b.frames - at);
    a.read(at, n, al, ar, 0);
    b.read(at, n, bl, br, 0);
    for (let i = 0; i < n; i++)
      if (
        Math.abs((al[i] as number) - (bl[i] as number)) > floor ||
        Math.abs((ar[i] as number) - (br[i] as number)) > floor
      )
        return false;
  }
  return true;
}

/** Names that say nothing. */
const NOTHING_SAID =
  /^[\d\s._-]*((audio|untitled|track|bounce|new|recording|file|stem|region|inst|print)[\s._-]*)*\d*[\s._-]*$/i;

function names(files: readonly SetFile[]): readonly SetFinding[] {
  const seen = new Map<string, string>();
  return files.flatMap((f): SetFinding[] => {
    const key = f.name
      .toLowerCase()
      .replace(/^[\d\s._-]+/, "")
      .trim();
    const before = seen.get(key);
    if (key !== "") seen.set(key, before ?? f.path);
    if (NOTHING_SAID.test(f.name)) return [{ kind: "says nothing", weight: "know", file: f.path }];
    return before !== undefined ? [{ kind: "same name", weight: "know", file: f.path, of: before }] : [];
  });
}
