import { declarationOf } from "../../core/devices/catalogue";
import { phraseOf } from "../../core/printing/members/family";
import type { Slip } from "../../core/printing/slip";
import { balancedTap } from "../../core/printing/slip";
import type { Session, Track } from "../../core/session/document";
import type { Frames } from "../../core/units";
import type { Option } from "../parts/option-list";
import { firstRoom, padKey, padOf, padOptions } from "./slip-pads";
import type { Stretch } from "./slip-ranges";
import { rangeKey, rangeOf, rangeOptions, rangeText } from "./slip-ranges";
import type { Wanted } from "./slip-store";
import { behindDynamics, tapKey, tapOf, tapOptions } from "./slip-taps";

/** What choosing another option changes: the slip, or the pad that the print goes onto. */
export type Change = { readonly want: Partial<Wanted> } | { readonly onto: Slip["pad"] };

/** A part of the sentence that can be chosen otherwise. */
export interface Choice {
  readonly part: "choice";
  readonly label: string;
  readonly value: string;
  readonly options: readonly Option<string>[];
  readonly change: (value: string) => Change;
}

/** The sentence of a slip, part by part: words, choices, and parts with a picker of their own. */
export type Part =
  | string
  | Choice
  | { readonly part: "what" | "moving" | "tail" | "name" }
  | { readonly part: "other taps"; readonly options: readonly Option<string>[] }
  | { readonly part: "length of the crossfade"; readonly frames: Frames };

/** What is chosen and marked beside the slip. */
export interface Beside {
  readonly chosen: Stretch;
  readonly marked: Stretch;
  readonly bar: (frame: Frames) => string;
}

/** A crossfade at a loop's seam, in seconds. */
const SEAM_S = 0.05;

const CHANNELS: readonly Option<Slip["channels"]>[] = [
  {
    value: "as the source",
    label: "mono or stereo as it is",
    about: "mono where both channels are equal to the last bit",
  },
  { value: "stereo", label: "stereo" },
  { value: "mono", label: "mono", about: "half of both channels' sum" },
];
const TWO_MONO: Option<Slip["channels"]> = {
  value: "two mono",
  label: "two mono files",
  about: "left and right by themselves",
};
const DEPTHS: readonly Option<Slip["depth"]>[] = [
  { value: "32f", label: "in float", about: "holds every sample exactly" },
  { value: "24", label: "in 24 bits", about: "with dither" },
  { value: "16", label: "in 16 bits", about: "with dither" },
];
const RETURNS: readonly Option<"with" | "without">[] = [
  { value: "without", label: "without returns", about: "its sends go on living" },
  { value: "with", label: "with its returns", about: "what its sends produce is in the print" },
];
const DYNAMICS: readonly Option<"linked" | "own">[] = [
  { value: "own", label: "as if alone", about: "compressors on the way hear nothing but this" },
  {
    value: "linked",
    label: "held by the whole",
    about: "they hold it back as far as they do with all that sounds; shares add up to the whole",
  },
];
const SEAMS: readonly Option<Slip["seam"]["by"]>[] = [
  { value: "none", label: "a plain range" },
  { value: "fold", label: "a seamless loop", about: "what rings over its end sounds at its beginning" },
  { value: "crossfade", label: "a loop with a crossfade", about: "its end fades into what came before it" },
];
const TOGETHER: readonly Option<"each" | "together">[] = [
  { value: "each", label: "one print each" },
  { value: "together", label: "one print of all", about: "summed with their faders and pans" },
];
const PASSES: readonly Option<Slip["pass"]>[] = [
  { value: "offline", label: "computed" },
  {
    value: "real time",
    label: "in real time, through its hardware",
    about: "pinged first, so that it lines up; sounds a little otherwise every time",
  },
];
const AFTERWARDS: readonly Option<Slip["afterwards"]>[] = [
  { value: "park", label: "park the source", about: "it rests, and keeps everything" },
  {
    value: "park and hide",
    label: "park and hide the source",
    about: "it rests out of sight until hidden tracks are shown",
  },
  { value: "keep live", label: "keep the source live", about: "the print is placed muted" },
  {
    value: "replace",
    label: "clear the source's clips",
    about: "they can be brought back by undo, or by reopening the print",
  },
];

/** A choice among some options; the change gets one of them. */
const choice = <T extends string>(
  label: string,
  value: NoInfer<T>,
  options: readonly Option<T>[],
  change: (value: T) => Change,
): Choice => ({ part: "choice", label, value, options, change: (v) => change(v as T) });

/** A choice that changes the slip alone. */
const wanting = <T extends string>(
  label: string,
  value: NoInfer<T>,
  options: readonly Option<T>[],
  want: (value: T) => Partial<Wanted>,
): Choice => choice(label, value, options, (v) => ({ want: want(v) }));

/** A slip as one sentence. Parts that make no sense for what is printed are not in it. */
export function sentenceOf(session: Session, slip: Slip, beside: Beside): readonly Part[] {
  const tracks = session.tracks.filter((t) => slip.tracks.includes(t.id));
  const isPhrase = phraseOf(slip) !== null;
  const away = slip.placed === "shelf" || slip.placed === "pad";
  const ofMix = tracks.some((t) => t.kind === "mix");
  return [
    "Print ",
    { part: "what" },
    ...(isPhrase ? [] : placeParts(session, slip, tracks, beside)),
    ...onTheWay(session, slip, tracks, ofMix),
    { part: "moving" },
    ...(isPhrase ? [] : fileParts(session, slip, tracks)),
    ", ",
    wanting("Channels", slip.channels, away ? [...CHANNELS, TWO_MONO] : CHANNELS, (channels) => ({ channels })),
    " ",
    ...(away ? [rateChoice(session, slip), " "] : []),
    wanting("Depth", slip.depth, DEPTHS, (depth) => ({ depth })),
    ...(needsRealTime(session, tracks) || slip.pass === "real time"
      ? [", ", wanting("Pass", slip.pass, PASSES, (pass) => ({ pass }))]
      : []),
    ", called ",
    { part: "name" },
    ", on ",
    placedChoice(session, slip, tracks),
    ...(slip.placed === "pad" && slip.pad
      ? [", ", choice("Pad", padKey(slip.pad), padOptions(session), (key) => ({ onto: padOf(session, key) }))]
      : []),
    ...(away || ofMix ? [] : ["; then ", afterwardsChoice(slip)]),
    ".",
  ];
}

/** From where to where, and at which tap. */
function placeParts(
  session: Session,
  slip: Slip,
  tracks: readonly Track[],
  { chosen, marked, bar }: Beside,
): readonly Part[] {
  const known = rangeOptions(session.ranges, chosen, marked, bar, tracks.length > 1 && !slip.together);
  const value = rangeKey(slip.range);
  const ranges = known.some((r) => r.value === value)
    ? known
    : [...known, { value, label: rangeText(slip.range, bar) }];
  const taps = tapOptions(session, tracks);
  return [
    " from ",
    wanting("Range", value, ranges, (v) => ({ range: rangeOf(v, chosen, marked) ?? slip.range })),
    ", tapped ",
    wanting("Tap", tapKey(slip), taps, (key) => {
      const at = tapOf(key);
      const moves = at.tap !== "clip" && slip.placed === "same track";
      return { ...at, ...(moves ? { placed: "new track" as const } : {}) };
    }),
    { part: "other taps", options: taps },
  ];
}

/** Returns and dynamics between the tap and what is printed. */
function onTheWay(session: Session, slip: Slip, tracks: readonly Track[], ofMix: boolean): readonly Part[] {
  const throughMix = slip.tap === "mix" && !ofMix;
  const hasReturns = slip.tap === "channel" || slip.tap === "group" || throughMix;
  const hasDynamics =
    slip.linked || ((slip.tap === "group" || throughMix) && behindDynamics(session, tracks, slip.tap));
  return [
    ...(hasReturns
      ? [" ", wanting("Returns", slip.returns ? "with" : "without", RETURNS, (v) => ({ returns: v === "with" }))]
      : []),
    ...(hasDynamics
      ? [
          " ",
          wanting("Dynamics on the way", slip.linked ? "linked" : "own", DYNAMICS, (v) => ({
            linked: v === "linked",
          })),
        ]
      : []),
  ];
}

/** How many files, what becomes of their ends, and whether they loop. */
function fileParts(session: Session, slip: Slip, tracks: readonly Track[]): readonly Part[] {
  const several = tracks.length > 1;
  const isRange = slip.range.by === "stretch" || slip.range.by === "saved";
  const isLoop = slip.seam.by !== "none";
  const seam = wanting("Loop", slip.seam.by, SEAMS, (by) => ({
    seam: by === "crossfade" ? { by, frames: Math.round(SEAM_S * session.rate) } : { by },
  }));
  const together = wanting("Together", slip.together ? "together" : "each", TOGETHER, (v) =>
    v === "together" && (slip.tap === "clip" || slip.tap === "devices")
      ? { together: true, before: null, ...balancedTap(session, tracks) }
      : { together: v === "together" },
  );
  const pieces = wanting<Slip["pieces"]>(
    "Pieces",
    slip.pieces,
    [
      { value: "one piece", label: several ? "each in one piece" : "one piece" },
      { value: "each run", label: "a piece for each run", about: "clips that touch stay together" },
      { value: "each clip", label: "a piece for each clip" },
    ],
    (v) => ({ pieces: v }),
  );
  return [
    ", as ",
    ...(isRange ? [seam] : []),
    ...(isRange && slip.seam.by === "crossfade"
      ? [" of ", { part: "length of the crossfade", frames: slip.seam.frames } as const]
      : []),
    ...(isRange && !isLoop ? [", "] : []),
    ...(!isLoop && several ? [together] : []),
    ...(!isLoop && !slip.together ? [...(several ? [", "] : []), pieces] : []),
    ...(slip.tap !== "clip" && !isLoop ? [" ", { part: "tail" } as const] : []),
  ];
}

function rateChoice({ rate: own }: Session, { rate }: Slip): Choice {
  const others = ([44100, 48000, 88200, 96000] as const).filter((r) => r !== own);
  return wanting(
    "Rate",
    String(rate ?? "session"),
    [
      { value: "session", label: `${own / 1000} kHz` },
      ...others.map((r) => ({ value: String(r), label: `${r / 1000} kHz`, about: "converted" })),
    ],
    (v) => ({ rate: others.find((r) => String(r) === v) ?? null }),
  );
}

function placedChoice(session: Session, slip: Slip, tracks: readonly Track[]): Choice {
  const isPhrase = phraseOf(slip) !== null;
  const isOfClips = tracks.every((t) => t.kind === "audio");
  const room = firstRoom(session);
  const options: Option<Slip["placed"]>[] = [
    { value: "new track", label: isPhrase ? "a new track below, wherever it is placed" : "a new track below" },
  ];
  if (!isPhrase && isOfClips)
    options.push({ value: "same track", label: "the same track", about: "in place of its clips, before its devices" });
  options.push({ value: "shelf", label: "the shelf only", about: "kept with the session, not placed" });
  if (!isPhrase && room)
    options.push({
      value: "pad",
      label: "a pad of a kit",
      about: "as a layer of it; several files onto a pad each",
    });
  return choice("Placed", slip.placed, options, (placed) =>
    placed === "pad"
      ? { onto: room }
      : {
          want: {
            placed,
            ...(slip.placed === "pad" ? { afterwards: "park" as const } : {}),
            ...(placed === "same track" ? { tap: "clip" as const, afterwards: "replace" as const } : {}),
          },
        },
  );
}

const afterwardsChoice = ({ placed, afterwards }: Slip): Choice =>
  wanting<Slip["afterwards"]>(
    "Afterwards",
    afterwards,
    placed === "same track" ? [{ value: "replace", label: "replace its clips" }] : AFTERWARDS,
    (v) => ({ afterwards: v }),
  );

/** Whether hardware is on the way, which takes as long as it plays. */
function needsRealTime(session: Session, tracks: readonly Track[]): boolean {
  const isSum = tracks.some((t) => t.kind === "group" || t.kind === "return" || t.kind === "mix");
  const upstream = isSum ? session.tracks.filter((t) => !t.parked && !t.frozen) : tracks;
  return upstream.some((t) => t.devices.some((d) => d.on && declarationOf(d.type)?.realTime));
}
