import type { Manifest } from "../delivery/manifest";
import type { Silence } from "../delivery/silence";
import type { Measures } from "../analysis/measure";
import type { Db, Frames, Hertz } from "../units";
import type { Cause, Content } from "./content";
import { CONTENT_LIMIT_DB } from "./content";
import type { Residual } from "./residual";

/** What was found in one delivered file when it was read back. */
export interface FileFacts {
  readonly name: string;
  readonly role: Manifest["files"][number]["role"];
  readonly rate: Hertz;
  readonly depth: string;
  readonly channels: number;
  readonly frames: Frames;
  readonly timeReference: Frames | null;
  readonly sha256: string;
  readonly measures: Measures;
  /** Of its content against a fresh render; null when one of the two is silent. */
  readonly offsetFrames: Frames | null;
  /** From end to end against a fresh render; proofs of earlier days have none. */
  readonly content?: Content;
  /** Why a file may be silent. */
  readonly silence?: Silence;
}

export type Mark = "right" | "look" | "wrong";

/** What a check found in a file. */
export type Found =
  | { readonly check: "bytes"; readonly sha256: string }
  | { readonly check: "rate"; readonly rate: Hertz }
  | { readonly check: "depth"; readonly depth: string }
  | { readonly check: "channels"; readonly is: "mono" | "stereo" | "mono in stereo" | number }
  /** `wanted`: null where it is as long as it should be. */
  | { readonly check: "length"; readonly frames: Frames; readonly wanted: Frames | null }
  | { readonly check: "start"; readonly timeReference: Frames | null }
  | { readonly check: "content"; readonly is: "MP3" | "in no stem" }
  | { readonly check: "content"; readonly is: "same"; readonly residueDb: Db | null }
  | { readonly check: "content"; readonly is: "other"; readonly residueDb: Db | null; readonly cause: Cause | null }
  | { readonly check: "offset"; readonly frames: Frames | null }
  | { readonly check: "sound"; readonly peakDb: Db }
  | { readonly check: "sound"; readonly silence: "nothing placed" | "muted" | "nothing heard" }
  | { readonly check: "clipping"; readonly truePeakDb: Db | null; readonly isKept: boolean }
  | { readonly check: "clipping"; readonly samples: number; readonly lostDb: Db }
  | { readonly check: "clipping"; readonly runs: number }
  | { readonly check: "tail"; readonly endDb: Db | null };

export type CheckId = Found["check"];

/** One question asked of every file, with an answer for each. */
export interface Judged {
  readonly check: CheckId;
  readonly answers: readonly { readonly mark: Mark; readonly found: Found }[];
}

/** What beside the audio is not as promised. */
export type BesideFault =
  | {
      readonly kind: "missing" | "other bytes" | "not promised" | "other hashes" | "other session";
      readonly name: string;
    }
  | { readonly kind: "unreadable" | "differs"; readonly name: string; readonly what: string }
  | { readonly kind: "lacks" | "other part"; readonly name: string; readonly part: string };

/** A delivery as it was judged. */
export interface Judgement {
  readonly mark: Mark;
  readonly checks: readonly Judged[];
  /** Whether the stems add up to the mix that they are held against; `residual`: null where there is none. */
  readonly sum: { readonly mark: Mark; readonly residual: Residual | null };
  readonly beside: {
    readonly mark: Mark;
    readonly faults: readonly BesideFault[];
    readonly promised: readonly string[];
  };
}

/** Peaks a residual may reach: what float arithmetic leaves, and what the dither of a dozen files adds up to. */
export const RESIDUAL_LIMIT: Record<Manifest["depth"], Db> = { "32f": -120, "24": -110, "16": -66 };
/** Less than this is not heard where a peak is held at full scale. */
const LEAST_LOSS_DB: Db = 0.01;
/** A file still louder than this at its end has lost its tail. */
const CUT_TAIL_DB: Db = -60;

const isSame = ({ residueDb }: Content, { depth }: Manifest): boolean =>
  (residueDb ?? -Infinity) <= CONTENT_LIMIT_DB[depth];
const isQuietlySilent = (f: FileFacts): boolean => f.silence === "nothing placed" && f.measures.peakDb === null;

type Answer = Judged["answers"][number];
const answer = (mark: Mark, found: Found): Answer => ({ mark, found });
const rightIf = (isRight: boolean, found: Found): Answer => answer(isRight ? "right" : "wrong", found);

/** What is asked of a file. `promised`: what the manifest says of it. */
type Ask = (f: FileFacts, promised: Manifest["files"][number] | undefined, manifest: Manifest) => Answer;

function askChannels(f: FileFacts, promised: Manifest["files"][number] | undefined): Answer {
  const check = "channels";
  if (promised?.keepsStereo) return rightIf(f.channels === 2, { check, is: f.channels === 2 ? "stereo" : "mono" });
  if (f.channels !== promised?.channels) return answer("wrong", { check, is: f.channels });
  const isMonoInStereo = f.channels === 2 && f.measures.mono && f.measures.peakDb !== null;
  return isMonoInStereo
    ? answer("look", { check, is: "mono in stereo" })
    : answer("right", { check, is: f.channels === 1 ? "mono" : "stereo" });
}

function askLength(f: FileFacts, promised: Manifest["files"][number] | undefined, manifest: Manifest): Answer {
  const said = promised?.frames ?? manifest.frames;
  const isMp3 = promised?.format === "mp3";
  const { content } = f;
  const trimmed = isMp3 ? said : Math.max(content?.soundEnd ?? said, 1);
  const equal = content?.frames ?? (isMp3 ? said : manifest.frames);
  const wanted = manifest.ends === "trimmed" ? trimmed : equal;
  const isRight = f.frames === said && f.frames === wanted;
  return rightIf(isRight, {
    ...{ check: "length", frames: f.frames },
    wanted: isRight ? null : f.frames === wanted ? said : wanted,
  });
}

function askContent(
  { content }: FileFacts,
  promised: Manifest["files"][number] | undefined,
  manifest: Manifest,
): Answer {
  const check = "content";
  // What an MP3 leaves out is meant to be left out: its length and its place are judged.
  if (promised?.format === "mp3") return answer("right", { check, is: "MP3" });
  // What the sheet does not know cannot be compared with anything.
  if (!content) return answer("wrong", { check, is: "in no stem" });
  const { residueDb, cause } = content;
  return isSame(content, manifest)
    ? answer("right", { check, is: "same", residueDb })
    : answer("wrong", { check, is: "other", residueDb, cause });
}

function askSound(f: FileFacts, _: unknown, manifest: Manifest): Answer {
  const check = "sound";
  if (f.measures.peakDb !== null) return answer("right", { check, peakDb: f.measures.peakDb });
  if (f.silence === "nothing placed") return answer("right", { check, silence: "nothing placed" });
  if (f.silence === "muted") return answer("look", { check, silence: "muted" });
  // Silent as the session itself is there: a file to look at. Else it lacks its sound.
  return answer(f.content && isSame(f.content, manifest) ? "look" : "wrong", { check, silence: "nothing heard" });
}

function askClipping({ measures, content }: FileFacts, _: unknown, { depth }: Manifest): Answer {
  const check = "clipping";
  const { truePeakDb, clippedRuns } = measures;
  const isOver = truePeakDb !== null && truePeakDb > 0;
  // A float file holds what goes above full scale.
  if (depth === "32f") return answer("right", { check, truePeakDb, isKept: isOver });
  if (content && content.clippedSamples > 0 && content.lostDb > LEAST_LOSS_DB)
    return answer("wrong", { check, samples: content.clippedSamples, lostDb: content.lostDb });
  if (!content && clippedRuns > 0) return answer("wrong", { check, runs: clippedRuns });
  return answer(isOver ? "look" : "right", { check, truePeakDb, isKept: false });
}

/** Every question, in the order in which a proof shows them. */
const ASKS: readonly (readonly [CheckId, Ask])[] = [
  ["bytes", (f, promised) => rightIf(f.sha256 === promised?.sha256, { check: "bytes", sha256: f.sha256 })],
  ["rate", (f, promised, m) => rightIf(f.rate === (promised?.rate ?? m.rate), { check: "rate", rate: f.rate })],
  [
    "depth",
    (f, promised, m) => rightIf(promised?.format === "mp3" || f.depth === m.depth, { check: "depth", depth: f.depth }),
  ],
  ["channels", askChannels],
  ["length", askLength],
  ["start", ({ timeReference }, _, m) => rightIf(timeReference === m.timeReference, { check: "start", timeReference })],
  ["content", askContent],
  [
    "offset",
    (f) =>
      f.offsetFrames === null
        ? answer(isQuietlySilent(f) ? "right" : "look", { check: "offset", frames: null })
        : rightIf(f.offsetFrames === 0, { check: "offset", frames: f.offsetFrames }),
  ],
  ["sound", askSound],
  ["clipping", askClipping],
  [
    "tail",
    ({ measures: { endDb } }) =>
      answer(endDb !== null && endDb > CUT_TAIL_DB ? "look" : "right", { check: "tail", endDb }),
  ],
];

/**
 * Judges a delivery from what was measured on it. `mustAddUp`: nothing is known that keeps the stems from adding up to
 * the mix.
 */
export function judge(
  manifest: Manifest,
  files: readonly FileFacts[],
  residual: Residual | null,
  mustAddUp: boolean,
  faults: readonly BesideFault[],
): Judgement {
  const promised = new Map(manifest.files.map((f) => [f.name, f]));
  const checks = ASKS.map(([check, ask]) => ({
    check,
    answers: files.map((f) => ask(f, promised.get(f.name), manifest)),
  }));
  const addsUp = residual === null || (residual.peakDb ?? -Infinity) <= RESIDUAL_LIMIT[manifest.depth];
  const sum = { mark: addsUp ? "right" : mustAddUp ? "wrong" : "look", residual } as const;
  const beside = {
    mark: faults.length === 0 ? "right" : "wrong",
    faults,
    promised: [...manifest.papers.map((d) => d.role), ...manifest.sessionFiles.map((f) => f.name.replace(/^.*\//, ""))],
  } as const;
  const marks = [...checks.flatMap((c) => c.answers.map((a) => a.mark)), sum.mark, beside.mark];
  const mark = marks.includes("wrong") ? "wrong" : marks.includes("look") ? "look" : "right";
  return { mark, checks, sum, beside };
}
