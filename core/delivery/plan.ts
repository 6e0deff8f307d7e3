import { convertedFrame } from "../analysis/resample";
import type { RenderRequest } from "../engine/render";
import { sessionEnd } from "../engine/render";
import type { StemTap, Tap } from "../engine/tap";
import { MIX_AFTER, MIX_BEFORE } from "../engine/tap";
import { hoursTooLong } from "../limits";
import { fingerprints } from "../printing/fingerprint";
import { withLiveSources } from "../printing/freeze";
import type { Planned } from "../printing/refusals";
import { refusePrint } from "../printing/refusals";
import { chip } from "../session/plain-names";
import type { Session, Sheet, StemRow } from "../session/document";
import { meterMap } from "../time/meter";
import type { TempoMap } from "../time/tempo";
import { framesOfBeats, tempoMap } from "../time/tempo";
import type { Depth, Frames, Ticks } from "../units";
import { NamesTaken, folderName, mixName, stemName } from "./naming";
import type { Manifest } from "./manifest";
import type { Silence } from "./silence";
import { silenceOf } from "./silence";
import { sheetOf, stemRows, wholeOf } from "./sheet";

export type FileFormat = Sheet["format"] | "mp3";
/** How the names of files end, by what they are. */
export const ENDINGS: Readonly<Record<FileFormat, string>> = { wav: ".wav", aiff: ".aif", flac: ".flac", mp3: ".mp3" };

/** One file of a delivery. */
export interface StemFile {
  readonly fileName: string;
  readonly title: string;
  readonly role: "stem" | "reference mix" | "mix before its chain";
  readonly sources: readonly string[];
  readonly tap: StemTap;
  /** Of the tap's sound. */
  readonly fingerprint: string;
  readonly silence: Silence;
  readonly format: FileFormat;
  /** Half the sum of both channels, or one of them; null: as it comes. */
  readonly fold: "mono" | "left" | "right" | null;
  /** It has two channels even where both are the same. */
  readonly keepsStereo: boolean;
  /** The row's place on the sheet, from 1; 0 for mixes. */
  readonly number: number;
}

/** Everything an export does, decided before a sample is rendered. */
export interface ExportPlan {
  readonly folder: string;
  readonly files: readonly StemFile[];
  /** Names that several files would have had, so that all but the first got a number. */
  readonly collided: readonly string[];
  /** The mix that the stems have to add up to, rendered beside them; null where there are none. */
  readonly whole: Tap | null;
  /** Whether a mix is delivered; where none is and only what changed is rendered, none is rendered at all. */
  readonly hasMix: boolean;
  /** At the session's rate. */
  readonly from: Frames;
  readonly to: Frames;
  readonly tail: Exclude<Sheet["tail"], "beats">;
  /** How much follows `to` where that is known beforehand, at the session's rate. */
  readonly tailFrames: Frames;
  /** Where the range ends inside the session; null when it goes to the last sound. */
  readonly endAt: Frames | null;
  readonly ends: Sheet["ends"];
  /** Silence in front of every file, in frames at the delivered rate, and the bars it is. */
  readonly leadFrames: Frames;
  readonly leadBars: number;
  readonly rate: number;
  readonly depth: Depth;
  readonly dither: boolean;
  /**
   * Of the first frame, at the delivered rate, from the timeline's zero; where more silence is in front than the
   * timeline has, the stamps count from the silence on.
   */
  readonly timeReference: Frames;
}

/** What of a plan says how far its pass goes. */
type Extent = Pick<ExportPlan, "from" | "to" | "tail" | "tailFrames" | "endAt">;

/**
 * The pass that a plan asks for: the session as it has to be rendered, and from where to where. What plays a print of a
 * live source cannot be let go at the end of a range and ring on, so there the source itself plays.
 */
export function passOf(
  session: Session,
  plan: Extent,
): Pick<RenderRequest, "session" | "from" | "to" | "tail" | "endAt"> {
  const { from, endAt } = plan;
  const ringsOn = plan.tail === "measured" || plan.tailFrames > 0;
  return {
    session: endAt !== null && ringsOn ? withLiveSources(session) : session,
    from,
    to: plan.tail === "measured" ? plan.to : plan.to + plan.tailFrames,
    tail: plan.tail === "measured" ? "measured" : "none",
    ...(endAt !== null && ringsOn ? { endAt } : {}),
  };
}

/** A plan whose pass goes on to a given frame, whatever rings: as an earlier package's did. */
export const goingTo = (plan: ExportPlan, end: Frames): ExportPlan => ({
  ...plan,
  tail: "fixed",
  tailFrames: end - plan.to,
});

/** The plan that a package was made by: one that carries an earlier one on ends where that did. */
export function planAsMade(asked: ExportPlan, { since, range, whole }: Manifest): ExportPlan {
  const plan = whole === null ? { ...asked, whole: null } : asked;
  const isCarriedOn = since !== null && since.whyAll === null && since.unchanged.length > 0;
  return isCarriedOn && range.end !== null ? goingTo(plan, range.end) : plan;
}

/** Frame of the session that a pass went to whose files are so long; `frames` without the silence in front. */
export function endOf({ from, rate }: Pick<ExportPlan, "from" | "rate">, frames: Frames, sessionRate: number): Frames {
  if (rate === sessionRate) return from + frames;
  const last = convertedFrame(from, sessionRate, rate) + frames;
  // A pass to frame e gives frames of the other rate that lie before it.
  return Math.floor((last * sessionRate) / rate);
}

/** Frames behind the end that a sheet asks for; of a tail that is measured, and of none, 0. */
function tailFramesOf({ sheet, rate }: Session, to: Frames, tempo: TempoMap): Frames {
  if (sheet.tail === "fixed") return Math.round(sheet.tailSeconds * rate);
  if (sheet.tail !== "beats") return 0;
  return framesOfBeats(tempo, to, sheet.tailBeats);
}

/** Plans the export of a session's stem sheet. `date` is the revision's, for names that tell it. */
export function planExport(session: Session, date: Date | null = null): Planned<ExportPlan> {
  const sheet = sheetOf(session);
  const { rows } = sheet;
  const hasOthers = sheet.sessionFiles.length > 0;
  if (rows.length === 0 && !hasOthers) return refusePrint({ kind: "nothing sounds" });
  const ticked = rows.filter((r) => r.ticked);
  if (ticked.length === 0 && sheet.mixes.length === 0 && !hasOthers) return refusePrint({ kind: "nothing ticked" });
  const tempo = tempoMap(session.tempo, session.rate);
  const from = sheet.from === null ? 0 : tempo.toFrames(sheet.from);
  const to = sheet.to === null ? sessionEnd(session) : tempo.toFrames(sheet.to);
  if (to <= from && (ticked.length > 0 || sheet.mixes.length > 0)) return refusePrint({ kind: "nothing in the range" });
  const tailFrames = tailFramesOf(session, to, tempo);
  const hours = hoursTooLong(to + tailFrames, session.rate);
  if (hours !== null) return refusePrint({ kind: "too long", hours });
  const rate = sheet.rate ?? session.rate;
  const leadFrames = Math.round(leadSeconds(session) * rate);
  const first = convertedFrame(from, session.rate, rate);
  const wanted = [
    ...ticked.flatMap((row) => stemsOf(session, row, rows, date)),
    ...sheet.mixes.map((which) => mixOf(session, which)),
  ];
  const taps = wanted.map((f) => f.tap);
  const sounds = fingerprints(session, taps);
  const names = new NamesTaken();
  const files = wanted.map(({ name, ...file }, i) => ({
    ...file,
    fileName: `${names.take(name)}${ENDINGS[file.format]}`,
    fingerprint: sounds[i] ?? "",
    silence: silenceOf(session, file.tap, from, to),
  }));
  return {
    ok: true,
    value: {
      folder: folderName(session, date),
      files,
      collided: [...names.collided],
      whole: ticked.length > 0 ? wholeOf(ticked) : null,
      hasMix: sheet.mixes.length > 0,
      from,
      to,
      tail: sheet.tail === "beats" ? "fixed" : sheet.tail,
      tailFrames,
      endAt: sheet.to === null ? null : to,
      ends: sheet.ends,
      leadFrames,
      leadBars: sheet.leadInBars,
      rate,
      depth: depthOf(sheet),
      dither: sheet.dither,
      timeReference: Math.max(0, first - leadFrames),
    },
  };
}

/** The session with nothing on its sheet but the session files. */
export const withoutStems = (session: Session): Session => ({
  ...session,
  sheet: {
    ...session.sheet,
    rows: stemRows(session).map((row) => ({ ...row, ticked: false })),
    mixes: [],
    from: null,
    to: null,
    folderName: [chip("song"), chip("text", "- Session files")],
  },
});

/** FLAC holds whole numbers only; where float was asked for, the deepest of those is written. */
const depthOf = ({ depth, format }: Sheet): Depth => (format === "flac" && depth === "32f" ? "24" : depth);

/** How long the silent bars in front are, in the meter and tempo of the first frame, which hold. */
export function leadTicks(session: Session): Ticks {
  const { sheet } = session;
  const meter = meterMap(session.meter, session.leadIn);
  const { numerator, denominator } = meter.meterAt(meter.position(sheet.from ?? 0).bar);
  return sheet.leadInBars * numerator * (3840 / denominator);
}

const leadSeconds = (session: Session): number =>
  (leadTicks(session) / 960) * (60 / tempoMap(session.tempo, session.rate).bpmAt(session.sheet.from ?? 0));

type Wanted = Omit<StemFile, "fileName" | "fingerprint" | "silence"> & { readonly name: string };

/** The files that a row is: one, or two where each channel is to be a file. */
function stemsOf(session: Session, row: StemRow, rows: readonly StemRow[], date: Date | null): readonly Wanted[] {
  const { sheet } = session;
  const index = rows.indexOf(row);
  const file: Wanted = {
    name: stemName(session, row, index, rows.length, date),
    title: row.name,
    role: "stem",
    sources: row.sources,
    tap: { kind: "path", sources: row.sources, at: row.tap, returns: row.returns, linked: row.linked },
    format: sheet.format,
    fold: row.channels === "mono" ? "mono" : null,
    keepsStereo: row.channels === "stereo",
    number: index + 1,
  };
  return row.channels === "two mono"
    ? (["left", "right"] as const).map((fold) => ({
        ...file,
        name: `${file.name} ${fold === "left" ? "L" : "R"}`,
        title: `${file.title} ${fold}`,
        fold,
      }))
    : [file];
}

const mixOf = (session: Session, which: Sheet["mixes"][number]): Wanted => ({
  name: mixName(session, which),
  title: which === "after its chain" ? "Reference mix" : "Mix before its chain",
  role: which === "after its chain" ? "reference mix" : "mix before its chain",
  sources: [],
  tap: which === "after its chain" ? MIX_AFTER : MIX_BEFORE,
  format: session.sheet.mixFormat === "mp3" ? "mp3" : session.sheet.format,
  fold: null,
  keepsStereo: false,
  number: 0,
});
