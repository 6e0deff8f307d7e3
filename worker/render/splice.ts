import { existsSync } from "node:fs";
import type { AudioReader } from "../../core/audio/audio-reader";
import { canonicalJson } from "../../core/canonical";
import { type Checkpoint, CheckpointMisfit, unpackState } from "../../core/engine/checkpoint";
import { tapLatency } from "../../core/engine/latency";
import { type AudioLibrary, MissingAudio } from "../../core/engine/library";
import { WavReader } from "../../core/formats/wav/read";
import type { PieceCutter } from "../../core/printing/cut";
import { prefixFingerprints } from "../../core/printing/fingerprint";
import type { PartState } from "../../core/kernels/arena";
import type { Session } from "../../core/session/document";
import type { Frames, Seconds } from "../../core/units";
import { FileSource } from "../../server/audio/file-bytes";
import { AudioStore } from "../../server/audio/store";
import { SliceSource } from "../../core/formats/bytes/bytes";
import type { OutputFile } from "../files/output-file";
import { type KeptPass, type KeptState, keptOn, readState, sha256, touch } from "./checkpoints";
import type { Recorder } from "./recorder";

/** How far apart checkpoints are: eight bars at 120 beats a minute. */
export const CHECKPOINT_S: Seconds = 16;
/** Most checkpoints of a pass: each holds what was measured so far, which grows with its files. */
const MOST = 64;

/** Frames of the engine's clock between two checkpoints of a pass whose content ends at `to`. */
export const checkpointsEvery = (apart: Frames, to: Frames, block: Frames): Frames =>
  Math.ceil(Math.max(apart, to / MOST) / block) * block;

/** Passes of several files of a session that may go on from each other. */
export const laneOf = (what: "prints" | "stems", session: string): string => sha256(canonicalJson([what, session]));

/**
 * What names the samples of a file beside the session: everything of its order that decides how the session becomes
 * them. Nothing for a file that another cannot go on from: one that is no plain WAV as rendered, one whose end is cut
 * off, one of a pass in real time, of which none is like another.
 */
export function sampleOrder(
  { tap, cut, format, fold, loop, trims, make, leadFrames = 0, ditherSeed }: Omit<OutputFile, "path">,
  { from, endAt, pass }: { readonly from: Frames; readonly endAt?: Frames; readonly pass?: number },
): Pick<OutputFile, "order"> {
  if (loop || make || trims || pass !== undefined) return {};
  const order = {
    ...{ tap, from: cut?.from ?? from, endAt: endAt ?? null, fold: fold ?? null, leadFrames, ditherSeed },
    format: { rate: format.rate, depth: format.depth },
  };
  return { order: sha256(canonicalJson(order)) };
}

/** Looks for where a pass may begin. */
export interface SeekTask {
  readonly kind: "seek";
  readonly session: Session;
  /** Every file has its order. */
  readonly files: readonly Pick<OutputFile, "tap" | "order">[];
  readonly lane: string;
  readonly earlier: readonly EarlierAudio[];
  readonly block: Frames;
  readonly dataRoot: string;
}

/** A place in the middle of an earlier pass from which another goes on. */
export interface Splice {
  readonly folder: string;
  /** By thread of the earlier pass. */
  readonly states: readonly KeptState[];
  /** SHA-256 of the earlier pass's files by their orders. */
  readonly audio: ReadonlyMap<string, string>;
}

/** The latest place in an earlier pass up to which all files of this one sound the same; null: there is none. */
export function seek({ session, files, lane, earlier, block, dataRoot }: SeekTask): Splice | null {
  const taps = files.map((f) => f.tap);
  const latency = tapLatency(session, taps);
  const known = new Map<Frames, readonly string[]>();
  const prefixesAt = (clock: Frames): readonly string[] => {
    const prefixes = known.get(clock) ?? prefixFingerprints(session, taps, clock);
    known.set(clock, prefixes);
    return prefixes;
  };
  let best: { readonly pass: KeptPass; readonly states: readonly KeptState[] } | null = null;
  const store = new AudioStore(dataRoot);
  const isHere = (hash: string | undefined) =>
    hash !== undefined && (earlier.some((e) => e.sha256 === hash) || existsSync(store.path(hash)));
  for (const pass of keptOn(dataRoot, lane)) {
    if (!files.every((f) => f.order !== undefined && isHere(pass.audio.get(f.order)))) continue;
    const states = placesOf(pass).filter(([first]) => first?.block === block && first.latency >= latency);
    const isSame = (at: readonly KeptState[]) => {
      const prefixes = prefixesAt(at[0]?.clock ?? 0);
      return files.every((f, i) => prefixOf(pass, at, f.order) === prefixes[i]);
    };
    // What is the same up to a place is the same up to every earlier one.
    let [first, behind] = [0, states.length];
    while (first < behind) {
      const middle = (first + behind) >> 1;
      if (isSame(states[middle] ?? [])) first = middle + 1;
      else behind = middle;
    }
    const found = states[first - 1];
    if (found && (found[0]?.clock ?? 0) > (best?.states[0]?.clock ?? 0)) best = { pass, states: found };
  }
  if (!best) return null;
  touch(best.pass);
  const { folder, audio } = best.pass;
  return { folder, audio, states: best.states };
}

/** The places at which all threads of a pass kept something, in their order; by thread. */
function placesOf({ threads: [lead, ...others] }: KeptPass): readonly (readonly KeptState[])[] {
  return (lead?.states ?? []).flatMap((state) => {
    const rest = others.flatMap((t) => t.states.find((s) => s.clock === state.clock) ?? []);
    return rest.length === others.length ? [[state, ...rest]] : [];
  });
}

/** The prefix fingerprint of a file of the pass at a place. */
function prefixOf({ threads }: KeptPass, at: readonly KeptState[], order = ""): string | undefined {
  for (const [t, { orders }] of threads.entries()) {
    const i = orders.indexOf(order);
    if (i >= 0) return at[t]?.prefixes[i];
  }
  return undefined;
}

/** Reads what all threads remembered. Throws `CheckpointMisfit` where that is damaged or gone. */
export function openSplice({ folder, states }: Splice): Checkpoint {
  const [first] = states;
  if (!first) throw new CheckpointMisfit();
  const { clock, block, latency } = first;
  const state = new Map<string, PartState>();
  for (const [thread, kept] of states.entries()) {
    const packed = readState(folder, thread, kept);
    if (!packed) throw new CheckpointMisfit();
    for (const [name, part] of unpackState(packed)) state.set(name, part);
  }
  return { clock, block, latency, state };
}

/** Audio outside the store that an earlier pass made: bytes of a file. */
export interface EarlierAudio {
  readonly sha256: string;
  readonly path: string;
  readonly start: number;
  readonly bytes: number;
}

/** A file of a pass on its way: what writes it, and what cuts it out of the pass. */
export interface Way {
  readonly order: string;
  readonly recorder: Recorder;
  readonly cutter: PieceCutter | null;
}

const partName = (order: string, part: string): string => `${order} ${part}`;

/** What the files of a pass remember, beside the parts of the graph. */
export const stateOf = (ways: readonly Way[]): ReadonlyMap<string, PartState> =>
  new Map(
    ways.flatMap(({ order, recorder, cutter }) => [
      ...[...recorder.save()].map(([part, state]) => [partName(order, part), state] as const),
      ...(cutter ? [[partName(order, "cut"), { bytes: new Uint8Array(0), numbers: cutter.save() }] as const] : []),
    ]),
  );

/**
 * Brings files to where those of an earlier pass were, whose audio they begin with. Throws `CheckpointMisfit`, and
 * `RenderCancelled`.
 */
export function beginFiles(
  ways: readonly Way[],
  { state }: Checkpoint,
  { audio }: Splice,
  {
    library,
    earlier = [],
    cancelled,
  }: {
    readonly library: AudioLibrary;
    readonly earlier: readonly EarlierAudio[] | undefined;
    readonly cancelled: () => boolean;
  },
): void {
  for (const { order, recorder, cutter } of ways) {
    const cut = state.get(partName(order, "cut"));
    if (cutter ? !cut || !cutter.load(cut.numbers) : cut) throw new CheckpointMisfit();
    const hash = audio.get(order) ?? "";
    const goOn = (before: AudioReader) => recorder.load((part) => state.get(partName(order, part)), before, cancelled);
    const elsewhere = earlier.find((e) => e.sha256 === hash);
    if (elsewhere) fromFile(elsewhere, goOn);
    else goOn(audioOf(hash, library));
  }
}

/** Gives a reader of audio outside the store to a function. Throws `CheckpointMisfit` where it cannot be read. */
function fromFile({ path, start, bytes }: EarlierAudio, take: (audio: AudioReader) => void): void {
  let source: FileSource | null = null;
  let audio: AudioReader;
  try {
    source = new FileSource(path);
    audio = WavReader.open(new SliceSource(source, start, bytes));
  } catch {
    source?.close();
    throw new CheckpointMisfit();
  }
  try {
    take(audio);
  } finally {
    source.close();
  }
}

function audioOf(hash: string, library: AudioLibrary): AudioReader {
  try {
    return library(hash);
  } catch (error) {
    if (error instanceof MissingAudio) throw new CheckpointMisfit();
    throw error;
  }
}
