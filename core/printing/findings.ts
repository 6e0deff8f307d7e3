import { OnsetFinder } from "../analysis/onsets";
import type { Measures } from "../analysis/measure";
import { dbToGain, gainToDb } from "../math";
import { fadeGain } from "../engine/fade";
import { reshapeOf } from "../session/clips";
import type { AudioClip, Session } from "../session/document";
import type { Edit } from "../session/edits";
import type { Db, Frames, Hertz } from "../units";
import type { PrintFile, PrintPlan } from "./print";

/**
 * Something that was found in a finished print. `edge`: it begins or ends with a jump, which a fade of at most half a
 * millisecond takes off. `cut tail`: it still sounds where it ends. `clipped`: so many samples went beyond full scale
 * and were held at it. `dull attack`: a fade lies over the first hit of a clip and takes from it.
 */
export type Finding =
  | { readonly kind: "edge"; readonly at: "start" | "end"; readonly jumpDb: Db }
  | { readonly kind: "cut tail"; readonly endDb: Db }
  | { readonly kind: "clipped"; readonly samples: number }
  | {
      readonly kind: "dull attack";
      readonly track: string;
      readonly clip: string;
      readonly name: string;
      readonly fadeFrames: Frames;
      readonly onset: Frames;
      readonly lossDb: Db;
    };

/** The beginning and the end of a file, left and right. */
export interface Edges {
  readonly first: readonly [left: Float32Array, right: Float32Array];
  readonly last: readonly [left: Float32Array, right: Float32Array];
}

/** So much of a file's beginning and end is looked at. */
export const EDGE_S = 0.01;
/** A first or last sample above this is a jump that can be heard as a click. */
const JUMP = dbToGain(-50);
/** A file that still sounds above this in its last ten milliseconds has lost its tail. */
const STILL_SOUNDS_DB = -60;
/** What a fade may take from the first ten milliseconds of a hit before its attack counts as dulled. */
const DULL_DB = 3;
const HIT_S = 0.01;
/** A shorter fade keeps a click away and takes nothing from a hit. */
const SHORT_FADE_S = 0.002;
const LISTEN_S = 0.5;

/** The longest fade that may be put over a jump, half a millisecond. */
const edgeFadeFrames = (rate: Hertz): Frames => Math.floor(rate / 2000);

const loudest = (sides: readonly Float32Array[], at: (x: Float32Array) => number | undefined): number =>
  Math.max(...sides.map((x) => Math.abs(at(x) ?? 0)));

/** What was lost where a file had to be held at full scale. */
export const clippedFindings = ({ clippedSamples = 0 }: Pick<Measures, "clippedSamples">): readonly Finding[] =>
  clippedSamples > 0 ? [{ kind: "clipped", samples: clippedSamples }] : [];

/** What is found at the ends of a file. A loop's ends are made for one another and are not looked at. */
export function endFindings(
  file: PrintFile,
  plan: Pick<PrintPlan, "slip" | "tail">,
  edges: Edges,
  measures: Pick<Measures, "endDb">,
): readonly Finding[] {
  if (plan.slip.seam.by !== "none" || file.velocities) return [];
  const found: Finding[] = [];
  const start = loudest(edges.first, (x) => x[0]);
  const end = loudest(edges.last, (x) => x.at(-1));
  if (start > JUMP && !beginsWithHit(edges, start)) found.push({ kind: "edge", at: "start", jumpDb: gainToDb(start) });
  const sounds = measures.endDb !== null && measures.endDb > STILL_SOUNDS_DB;
  const cut = plan.slip.tap !== "clip" && sounds && !fadesOut(edges);
  if (cut) found.push({ kind: "cut tail", endDb: measures.endDb ?? 0 });
  if (end > JUMP) found.push({ kind: "edge", at: "end", jumpDb: gainToDb(end) });
  return found;
}

/**
 * A file's last ten milliseconds go down to nothing, as a fade does: its last half millisecond is far quieter than
 * their first half. A tail that is cut is as loud to the end.
 */
function fadesOut({ last }: Edges): boolean {
  const peak = (from: number, to: number) =>
    Math.max(
      0,
      ...last.map((x) =>
        x.subarray(Math.floor(from * x.length), Math.ceil(to * x.length)).reduce((m, v) => Math.max(m, Math.abs(v)), 0),
      ),
    );
  return peak(0.95, 1) < 0.15 * peak(0, 0.5);
}

/**
 * A hit begins with the file: within a millisecond it grows well beyond its first sample. A fade must never lie over
 * it.
 */
const beginsWithHit = ({ first }: Edges, start: number): boolean =>
  loudest(first, (x) => x.subarray(0, Math.ceil(x.length / 10)).reduce((m, v) => Math.max(m, Math.abs(v)), 0)) >
  4 * start;

/** Audio of an asset, for those that listen to the beginning of clips. */
export interface Listen {
  (asset: string, from: Frames, count: Frames): readonly [left: Float32Array, right: Float32Array];
}

/**
 * Clips of a print (`chosen`; null: all of its sources) whose fade in lies over their first hit. Clips that are
 * reversed or stretched are not looked at.
 */
export function attackFindings(
  session: Session,
  file: PrintFile,
  chosen: readonly string[] | null,
  listen: Listen,
): readonly Finding[] {
  return file.sources.flatMap((id): Finding[] => {
    const track = session.tracks.find((t) => t.id === id);
    return (track?.clips ?? []).flatMap((clip): Finding[] => {
      if (chosen && !chosen.includes(clip.id)) return [];
      if (clip.kind !== "audio" || clip.reverse || reshapeOf(clip)) return [];
      if (clip.fadeIn.frames <= SHORT_FADE_S * session.rate) return [];
      const found = dulled(clip, session.rate, listen);
      return found
        ? [{ kind: "dull attack", track: id, clip: clip.id, name: clip.name, fadeFrames: clip.fadeIn.frames, ...found }]
        : [];
    });
  });
}

function dulled(clip: AudioClip, rate: Hertz, listen: Listen): { readonly onset: Frames; readonly lossDb: Db } | null {
  const count = Math.min(clip.frames, clip.fadeIn.frames + Math.round(LISTEN_S * rate));
  const [left, right] = listen(clip.asset, clip.offset, count);
  const finder = new OnsetFinder(rate);
  finder.push(left, right, 0, Math.min(count, left.length));
  const onset = finder.onsets[0];
  if (onset === undefined || onset >= clip.fadeIn.frames) return null;
  if (!dies(left, right, onset, rate)) return null;
  const span = Math.min(left.length, onset + Math.round(HIT_S * rate));
  let whole = 0;
  let faded = 0;
  for (let i = onset; i < span; i++) {
    const level = Math.max(Math.abs(left[i] as number), Math.abs(right[i] as number));
    whole = Math.max(whole, level);
    faded = Math.max(faded, level * (i < clip.fadeIn.frames ? fadeGain(clip.fadeIn, i) : 1));
  }
  const lossDb = whole > 0 && faded > 0 ? gainToDb(whole) - gainToDb(faded) : 0;
  return lossDb > DULL_DB ? { onset, lossDb } : null;
}

/** A hit falls by so much from its first part to what follows: noise that simply begins does not. */
const STRIKES_S = 0.03,
  FOLLOWS_S = 0.08,
  FALLS_DB = 3;

function dies(left: Float32Array, right: Float32Array, onset: Frames, rate: Hertz): boolean {
  const power = (fromS: number, toS: number) => {
    const [from, to] = [onset + Math.round(fromS * rate), Math.min(left.length, onset + Math.round(toS * rate))];
    let sum = 0;
    for (let i = from; i < to; i++) {
      const [l, r] = [left[i] as number, right[i] as number];
      sum += l * l + r * r;
    }
    return to > from ? sum / (to - from) : 0;
  };
  const [struck, after] = [power(0, STRIKES_S), power(FOLLOWS_S, FOLLOWS_S + STRIKES_S)];
  return struck > after * dbToGain(2 * FALLS_DB);
}

/** The edits that mend what was found in a print whose audio is `asset`; none where it has to be printed again. */
export function mendingEdits(session: Session, finding: Finding, asset: string): readonly Edit[] {
  const longest = edgeFadeFrames(session.rate);
  if (finding.kind === "edge") {
    const fade = { frames: longest, shape: "linear" } as const;
    const patch = finding.at === "start" ? { fadeIn: fade } : { fadeOut: fade };
    return session.tracks.flatMap((t) =>
      t.clips.flatMap((c): Edit[] =>
        c.kind === "audio" && c.asset === asset && c.frames > 4 * longest
          ? [{ do: "set", in: "clips", track: t.id, id: c.id, patch }]
          : [],
      ),
    );
  }
  if (finding.kind !== "dull attack") return [];
  const clip = session.tracks.find((t) => t.id === finding.track)?.clips.find((c) => c.id === finding.clip);
  if (!clip || clip.kind === "notes") return [];
  const fadeIn = { ...clip.fadeIn, frames: Math.min(finding.onset, longest) };
  return [{ do: "set", in: "clips", track: finding.track, id: finding.clip, patch: { fadeIn } }];
}
