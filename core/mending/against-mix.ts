/* eslint-disable max-lines -- one search: its steps share the same measures and limits */
import { dbToGain, gainToDb } from "../math";
import type { Frames } from "../units";
import type { AudioReader } from "../audio/audio-reader";
import { driftOf, soundingPlaces, undrifted } from "./drift";
import { Lags, MOST_LAG, WINDOW, mostOpposed, strongest } from "./lags";
import { loudestStretches, stretch } from "./stretch";
import type { Drift, Mend, SetFile, SetFinding } from "./set";

const BLOCK: Frames = 16384;
/** What is left of a mix when all its files are taken away: dither and rounding of many files, and no more. */
const ADDS_UP_DB = { rounded: -55, exact: -80 } as const;
/** Against the mix's own energy. `rounded`: there is a file of 16 bits; `exact`: none is. */
const ADDS_UP_REL_DB = { rounded: -60, exact: -80 } as const;
/** Of a block that is heard in what is left. */
const HEARD_DB = -60;
/** A file is where it is found if it explains at least so much of itself there. */
const SURE = 0.5;
/** A mend has to take away so much of what is left. */
const LEAST_GAIN = 0.04;
const LEAST_LEVEL_GAIN = 0.3;
/** Above this, what is left is made of the files themselves: the mix went through something. */
const ALIKE = 0.3;

/** Why a file cannot be what the mix was made of. */
export type Damage = "silent" | "clipped" | "cut" | "converted";

export interface AgainstMix {
  readonly findings: readonly SetFinding[];
  readonly mends: readonly Mend[];
  readonly residualDb: number | null;
}

/**
 * Holds files against the mix that they should add up to. Where they do not, the file is looked for that is shifted,
 * has its sides swapped, is turned over, louder or quieter than in the mix, or not in it: one a round, the one that
 * explains most of what is left. `damaged`: what is known of files that cannot add up, by their paths. `onProgress`
 * gets 0 to 1 and throws to stop.
 */
export function againstMix(
  given: readonly SetFile[],
  { audio: mix, path: mixPath }: Pick<SetFile, "audio" | "path">,
  start: readonly Mend[],
  damaged: ReadonlyMap<string, Damage>,
  onProgress: (part: number) => void,
): AgainstMix {
  const mends: Mutable[] = start.map((m) => ({ ...m }));
  const findings: SetFinding[] = [];
  // A file that drifts is compared as its resampled copy will be.
  const files = [...given];
  const used = () => files.map((_, i) => i).filter((i) => !mends[i]?.leaveOut);
  let left = leftOver(files, mends, mix);
  const rounds = files.length + 4;
  for (let round = 0; round < rounds && !left.addsUp; round++) {
    onProgress(round / rounds);
    const best = likeliest(files, mends, mix, left, used(), damaged);
    // What a drift leaves looks like a shift, another level or another sound, or like nothing that is known.
    const doubtful = best ? [best.file] : used();
    const drifting = drifted(files, mends, mix, doubtful, findings, () => onProgress(round / rounds));
    if (drifting) {
      const { file, drift } = drifting;
      const { ppm } = drift;
      const { path, audio, frames } = files[file] as SetFile;
      const without = files.with(file, { ...(files[file] as SetFile), audio: undrifted(audio, drift, "measure") });
      const after = leftOver(without, mends, mix);
      if (after.energy < left.energy * (1 - LEAST_GAIN / 2)) {
        files[file] = without[file] as SetFile;
        (mends[file] as Mutable).drift = drift;
        left = after;
        findings.push({ kind: "drift", weight: "wrong", file: path, ppm, frames: Math.round((ppm / 1e6) * frames) });
        continue;
      }
    }
    if (!best) break;
    const { file, kind } = best;
    const mend = mends[file] as Mutable;
    const { path } = files[file] as SetFile;
    const before = { ...mend };
    switch (kind) {
      case "shifted":
        mend.shift += best.lag;
        break;
      case "swapped sides":
        mend.swap = !mend.swap;
        break;
      case "inverted":
        mend.invert = !mend.invert;
        break;
      case "shifted and inverted":
        mend.shift += best.lag;
        mend.invert = !mend.invert;
        break;
      case "gain":
        mend.gainDb += gainToDb(best.gain);
        break;
      case "not in the mix":
        mend.leaveOut = true;
        break;
    }
    const after = leftOver(files, mends, mix);
    if (after.energy >= left.energy * (1 - LEAST_GAIN / 2)) {
      Object.assign(mend, before);
      break;
    }
    left = after;
    if (kind === "shifted and inverted") findings.push({ kind: "inverted", weight: "wrong", file: path });
    findings.push(
      kind === "shifted" || kind === "shifted and inverted"
        ? { kind: "shifted", weight: "wrong", file: path, frames: -best.lag, by: "content" }
        : kind === "gain"
          ? { kind, weight: "look", file: path, db: -gainToDb(best.gain) }
          : { kind, weight: "wrong", file: path },
    );
  }
  onProgress(1);
  const late = mixIsLate(files, mends, findings);
  if (late !== 0) {
    for (const mend of mends) mend.shift -= late;
    const own = findings.filter((f) => f.kind !== "shifted");
    findings.splice(0, findings.length, ...own, { kind: "mix shifted", weight: "wrong", file: mixPath, frames: late });
  }
  const residualDb = left.peak > 0 ? gainToDb(left.peak) : null;
  const lost = lostByShifts(files, mends, left);
  if (!left.addsUp && lost.length > 0) findings.push(...lost);
  else if (!left.addsUp && !isOfDamaged(files, damaged, left) && !isOfDrift(files, findings, left)) {
    const peakDb = gainToDb(left.peak);
    if (ownness(files, mends, mix, left, used()) >= ALIKE)
      findings.push({ kind: "mix went through a chain", weight: "know", peakDb });
    else findings.push({ kind: "missing", weight: "wrong", peakDb, from: left.from, to: left.to });
  }
  return { findings, mends, residualDb };
}

/**
 * The first file whose clock was off, of those that are not known to be; null: none is. One file is held against the
 * mix where it sounds itself; of several, all where the mix does, so that what is left of it is read once a place.
 */
function drifted(
  files: readonly SetFile[],
  mends: readonly Mend[],
  mix: AudioReader,
  doubtful: readonly number[],
  findings: readonly SetFinding[],
  onProgress: () => void,
): { readonly file: number; readonly drift: Drift } | null {
  const known = new Set(findings.flatMap((f) => (f.kind === "drift" ? [f.file] : [])));
  const rest = new Rest(files, mends, mix, WINDOW + 2 * MOST_LAG);
  const left = new Map<Frames, readonly [Float32Array, Float32Array]>();
  const [only] = doubtful;
  const places = soundingPlaces(doubtful.length === 1 && only !== undefined ? (files[only] as SetFile).audio : mix);
  for (const file of doubtful) {
    onProgress();
    const { audio, path, measures } = files[file] as SetFile;
    if (known.has(path) || measures.peakDb === null) continue;
    const drift = driftOf(audio, places, (from, count) => {
      let there = left.get(from);
      if (!there) {
        const read = rest.read(from, count);
        left.set(from, (there = [Float32Array.from(read.left), Float32Array.from(read.right)]));
      }
      const [l, r] = there;
      const own = mendedFile(files[file] as SetFile, mends[file] as Mend, from, count);
      return [own[0].map((v, i) => v + (l[i] as number)), own[1].map((v, i) => v + (r[i] as number))];
    });
    if (drift) return { file, drift };
  }
  return null;
}

/** How many frames the mix begins later than all that sounds in the set, where that is the same for all; else 0. */
function mixIsLate(files: readonly SetFile[], mends: readonly Mend[], findings: readonly SetFinding[]): Frames {
  const moved = new Map(findings.flatMap((f) => (f.kind === "shifted" ? [[f.file, -f.frames] as const] : [])));
  const sounding = files.filter((f, i) => f.measures.peakDb !== null && !mends[i]?.leaveOut);
  const [first] = sounding;
  const by = first ? (moved.get(first.path) ?? 0) : 0;
  return sounding.length > 1 && sounding.every((f) => moved.get(f.path) === by) ? by : 0;
}

type Mutable = { -readonly [K in keyof Mend]: Mend[K] };

const square = (v: number | undefined): number => (v ?? 0) * (v ?? 0);

/**
 * Sound that a shifted file has lost because it is as long as all others: what is left is heard nowhere but where that
 * file has nothing.
 */
function lostByShifts(
  files: readonly SetFile[],
  mends: readonly Mend[],
  { from, to }: LeftOver,
): readonly SetFinding[] {
  return files.flatMap(({ path, frames }, i): SetFinding[] => {
    const { shift } = mends[i] as Mend;
    if (shift > 0 && to <= shift + BLOCK)
      return [{ kind: "lost", weight: "look", file: path, frames: shift, at: "start" }];
    if (shift < 0 && from >= frames + shift - BLOCK)
      return [{ kind: "lost", weight: "look", file: path, frames: -shift, at: "end" }];
    return [];
  });
}

/** Whether what is left is heard only where damaged files lack something. */
function isOfDamaged(files: readonly SetFile[], damaged: ReadonlyMap<string, Damage>, { peaks }: LeftOver): boolean {
  const hurt = files.filter((f) => damaged.has(f.path));
  // A silent file explains nothing: what it should sound like may be another's that is missing.
  if (hurt.some((f) => damaged.get(f.path) === "converted")) return true;
  if (hurt.length === 0) return false;
  const heard = dbToGain(HEARD_DB);
  return peaks.every((p, block) => {
    if (p <= heard) return true;
    return hurt.some(({ path, audio }) => {
      if (damaged.get(path) === "cut") return (block + 1) * BLOCK > audio.frames;
      // A little before and behind: what is turned down as a whole is turned down there too.
      const [l, r] = stretch(audio, (block - 1) * BLOCK, 3 * BLOCK);
      return [l, r].some((side) => side.some((v) => Math.abs(v) >= CLIPPED));
    });
  });
}

/** As loud as a file of whole numbers gets, nearly. */
const CLIPPED = 0.99;

/** What a clock, found to a twentieth of a frame, leaves of a file at most, as a part of its energy. */
const DRIFT_LEAVES = 0.01;

/** Whether what is left is what the files that drift leave, however well their clocks are known. */
function isOfDrift(files: readonly SetFile[], findings: readonly SetFinding[], { energy }: LeftOver): boolean {
  const drifting = new Set(findings.flatMap((f) => (f.kind === "drift" ? [f.file] : [])));
  const own = files.reduce((sum, { path, audio }) => sum + (drifting.has(path) ? energyOf(audio) : 0), 0);
  return energy < own * DRIFT_LEAVES;
}

function energyOf(audio: AudioReader): number {
  let sum = 0;
  for (let at = 0; at < audio.frames; at += BLOCK) {
    const [l, r] = stretch(audio, at, BLOCK);
    for (let i = 0; i < BLOCK; i++) sum += square(l[i]) + square(r[i]);
  }
  return sum;
}

interface LeftOver {
  readonly peak: number;
  /** By blocks. */
  readonly peaks: readonly number[];
  readonly energy: number;
  readonly addsUp: boolean;
  /** Where it is heard. */
  readonly from: Frames;
  readonly to: Frames;
  /** First frames of the stretches in which it is loudest. */
  readonly windows: readonly Frames[];
}

/** What is left of the mix without the files, from end to end. */
function leftOver(files: readonly SetFile[], mends: readonly Mend[], mix: AudioReader): LeftOver {
  const end = Math.max(mix.frames, ...files.map((f, i) => f.frames + (mends[i]?.shift ?? 0)));
  const rest = new Rest(files, mends, mix, BLOCK);
  const energies: number[] = [];
  const peaks: number[] = [];
  let [peak, energy, mixEnergy, from, to] = [0, 0, 0, -1, 0];
  const heard = dbToGain(HEARD_DB);
  for (let at = 0; at < end; at += BLOCK) {
    const n = Math.min(BLOCK, end - at);
    const { left, right, whole } = rest.read(at, n);
    let [e, p, w] = [0, 0, 0];
    for (let i = 0; i < n; i++) {
      const [l, r] = [left[i] as number, right[i] as number];
      e += l * l + r * r;
      p = Math.max(p, Math.abs(l), Math.abs(r));
      w += square(whole[0][i]) + square(whole[1][i]);
    }
    energies.push(e);
    peaks.push(p);
    energy += e;
    mixEnergy += w;
    peak = Math.max(peak, p);
    if (p > heard) {
      if (from < 0) from = at;
      to = at + n;
    }
  }
  const steps = files.some((f) => f.depth === "16" || f.codec !== null) ? "rounded" : "exact";
  const share = dbToGain(ADDS_UP_REL_DB[steps]);
  const isQuiet = peak <= dbToGain(ADDS_UP_DB[steps]) || energy <= mixEnergy * share * share;
  return {
    peak,
    peaks,
    energy,
    addsUp: isQuiet,
    from: Math.max(0, from),
    to,
    windows: loudestStretches(energies, BLOCK),
  };
}

type Likely = { readonly file: number; readonly saves: number; readonly lag: Frames; readonly gain: number } & {
  readonly kind: "shifted" | "shifted and inverted" | "swapped sides" | "inverted" | "gain" | "not in the mix";
};

/** The file, and what is wrong with it, that explains most of what is left. */
function likeliest(
  files: readonly SetFile[],
  mends: readonly Mend[],
  mix: AudioReader,
  left: LeftOver,
  used: readonly number[],
  damaged: ReadonlyMap<string, Damage>,
): Likely | null {
  const lags = new Map(used.map((i) => [i, new Lags()]));
  let restEnergy = 0;
  const span = WINDOW + 2 * MOST_LAG;
  for (const from of left.windows) {
    const rest = new Rest(files, mends, mix, span).read(from - MOST_LAG, span);
    for (let i = MOST_LAG; i < MOST_LAG + WINDOW; i++) restEnergy += square(rest.left[i]) + square(rest.right[i]);
    for (const i of used) {
      const own = mendedFile(files[i] as SetFile, mends[i] as Mend, from - MOST_LAG, span);
      // What the mix says this file should be: what is left, and what it is.
      const wanted = [new Float32Array(span), new Float32Array(span)] as const;
      for (let k = 0; k < span; k++) {
        wanted[0][k] = (rest.left[k] as number) + (own[0][k] as number);
        wanted[1][k] = (rest.right[k] as number) + (own[1][k] as number);
      }
      const inner = own.map((side) => side.subarray(MOST_LAG, MOST_LAG + WINDOW)) as [Float32Array, Float32Array];
      // A file that is as loud in what it should be as it is by itself is right: nothing else is looked for.
      if (!isRight(inner, wanted)) lags.get(i)?.add(inner, wanted);
    }
  }
  let best: Likely | null = null;
  const consider = (one: Likely, least: number) => {
    if (one.saves >= least * restEnergy && (best === null || one.saves > best.saves)) best = one;
  };
  for (const [file, { straight, swapped, energy }] of lags) {
    if (energy === 0) continue;
    const here = (straight[MOST_LAG] as number) / energy;
    const moved = strongest(straight);
    const turned = (swapped[MOST_LAG] as number) / energy;
    if (moved.lag !== 0 && moved.value / energy >= SURE)
      consider(
        { file, kind: "shifted", lag: moved.lag, gain: 1, saves: 2 * (moved.value - here * energy) },
        LEAST_GAIN,
      );
    if (turned >= SURE && turned > here + 0.02)
      consider({ file, kind: "swapped sides", lag: 0, gain: 1, saves: 2 * (turned - here) * energy }, LEAST_GAIN);
    const opposed = mostOpposed(straight);
    if (opposed.lag !== 0 && -opposed.value / energy >= SURE && -opposed.value > moved.value)
      consider(
        { file, kind: "shifted and inverted", lag: opposed.lag, gain: 1, saves: 2 * (-opposed.value - here * energy) },
        LEAST_GAIN,
      );
    const saves = (here - 1) * (here - 1) * energy;
    if (here < -SURE) consider({ file, kind: "inverted", lag: 0, gain: 1, saves: -4 * here * energy }, LEAST_GAIN);
    // How loud a clipped file was is lost.
    else if (damaged.get(files[file]?.path ?? "") === "clipped") continue;
    else if (Math.abs(here) < 0.05 && moved.value / energy < SURE && -opposed.value / energy < SURE)
      consider({ file, kind: "not in the mix", lag: 0, gain: 1, saves }, LEAST_LEVEL_GAIN);
    else if (here > 0.05 && Math.abs(here - 1) > 0.01)
      consider({ file, kind: "gain", lag: 0, gain: here, saves }, LEAST_LEVEL_GAIN);
  }
  return best;
}

/** How far a file may be from what it should be, as a part of its own energy, and be right. */
const RIGHT = 0.005;

function isRight(own: readonly [Float32Array, Float32Array], wanted: readonly [Float32Array, Float32Array]): boolean {
  let [energy, shared] = [0, 0];
  for (const s of [0, 1] as const)
    for (let k = 0; k < WINDOW; k++) {
      const v = own[s][k] as number;
      energy += v * v;
      shared += v * (wanted[s][MOST_LAG + k] as number);
    }
  if (energy === 0) return true;
  if (Math.abs(shared / energy - 1) > RIGHT) return false;
  // A low sound that is a few frames off is nearly as much itself as where it belongs.
  return NEAR.every((lag) => sharedAt(own, wanted, lag) <= shared);
}

const NEAR = [-8, -4, -2, -1, 1, 2, 4, 8] as const;

function sharedAt(
  own: readonly [Float32Array, Float32Array],
  wanted: readonly [Float32Array, Float32Array],
  lag: Frames,
): number {
  let sum = 0;
  for (const s of [0, 1] as const)
    for (let k = 0; k < WINDOW; k++) sum += (own[s][k] as number) * (wanted[s][MOST_LAG + k + lag] as number);
  return sum;
}

/** How much of what is left is made of the files themselves, 0 to 1. */
function ownness(
  files: readonly SetFile[],
  mends: readonly Mend[],
  mix: AudioReader,
  left: LeftOver,
  used: readonly number[],
): number {
  const span = WINDOW + 2 * MOST_LAG;
  const lags = new Lags();
  let energy = 0;
  for (const from of left.windows) {
    const rest = new Rest(files, mends, mix, span).read(from - MOST_LAG, span);
    const sum = [new Float32Array(span), new Float32Array(span)] as const;
    for (const i of used) {
      const own = mendedFile(files[i] as SetFile, mends[i] as Mend, from - MOST_LAG, span);
      for (const s of [0, 1] as const)
        for (let k = 0; k < span; k++) sum[s][k] = (sum[s][k] as number) + (own[s][k] as number);
    }
    for (let i = MOST_LAG; i < MOST_LAG + WINDOW; i++) energy += square(rest.left[i]) + square(rest.right[i]);
    const inner = sum.map((side) => side.subarray(MOST_LAG, MOST_LAG + WINDOW)) as [Float32Array, Float32Array];
    lags.add(inner, [Float32Array.from(rest.left), Float32Array.from(rest.right)]);
  }
  if (lags.energy === 0 || energy === 0) return 0;
  const most = lags.straight.reduce((m, v) => Math.max(m, Math.abs(v)), 0);
  return most / Math.sqrt(lags.energy * energy);
}

/** The mix without the files, any stretch of it; the same buffers are filled again and again. */
class Rest {
  private readonly left: Float64Array;
  private readonly right: Float64Array;

  constructor(
    private readonly files: readonly SetFile[],
    private readonly mends: readonly Mend[],
    private readonly mix: AudioReader,
    most: Frames,
  ) {
    this.left = new Float64Array(most);
    this.right = new Float64Array(most);
  }

  read(from: Frames, count: Frames) {
    const whole = stretch(this.mix, from, count);
    const { left, right } = this;
    left.set(whole[0]);
    right.set(whole[1]);
    this.files.forEach((file, i) => {
      const mend = this.mends[i] as Mend;
      if (mend.leaveOut) return;
      const [l, r] = mendedFile(file, mend, from, count);
      for (let k = 0; k < count; k++) {
        left[k] = (left[k] as number) - (l[k] as number);
        right[k] = (right[k] as number) - (r[k] as number);
      }
    });
    return { left, right, whole };
  }
}

/** A stretch of a file as it will be. */
function mendedFile(
  { audio }: SetFile,
  mend: Mend,
  from: Frames,
  count: Frames,
): readonly [Float32Array, Float32Array] {
  const [left, right] = stretch(audio, from - mend.shift, count);
  const gain = dbToGain(mend.gainDb) * (mend.invert ? -1 : 1);
  if (gain !== 1)
    for (const side of [left, right]) for (let i = 0; i < count; i++) side[i] = (side[i] as number) * gain;
  return mend.swap ? [right, left] : [left, right];
}
