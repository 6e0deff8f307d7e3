import type { Measures } from "../analysis/measure";
import { byId } from "../by-id";
import type { Session } from "../session/document";
import { formatClock } from "../time/clock";
import { formatPosition, meterMap } from "../time/meter";
import { tempoMap } from "../time/tempo";
import type { Depth, Frames, Seconds, Ticks } from "../units";
import type { Changes } from "../delivery/manifest";
import type { ExportPlan, StemFile } from "../delivery/plan";
import { shownName } from "../session/names";

/** A file of a delivery as it was written. */
export interface FileAsWritten {
  readonly channels: number;
  readonly frames: Frames;
  /** Its own: of an MP3 it may be another than all others'. */
  readonly rate: number;
  readonly bytes: number;
  readonly sha256: string;
  readonly measures: Measures;
  /** Lowest and highest value of equal spans, as signed bytes in pairs. */
  readonly overview: Uint8Array;
}

/** A file of a delivery as its sheet tells of it. */
export interface FileOnSheet extends FileAsWritten {
  readonly name: string;
  readonly title: string;
  readonly role: StemFile["role"];
  readonly format: StemFile["format"];
  readonly fold: StemFile["fold"];
  /** Names of the tracks it is made of; none for a mix. */
  readonly sources: readonly string[];
  /** Whether those are returns, and nothing else. */
  readonly isReturn: boolean;
  readonly tap: StemFile["tap"];
}

/** Something that stands at a place of the timeline. */
interface Placed {
  /** `17.3.240`: bar, beat, ticks. */
  readonly position: string;
  /** From the first frame of the files on; below zero where it began before. */
  readonly clock: string;
  readonly text: string;
}

/** Everything a delivery's sheet says, before it is laid out as a page or a table. */
export interface SheetFacts {
  readonly song: string;
  readonly revision: number;
  /** yyyy-mm-dd, of the revision. */
  readonly date: string;
  readonly rate: number;
  readonly depth: Depth;
  readonly dither: boolean;
  readonly ends: ExportPlan["ends"];
  /** Silent bars in front of every file, and how long they are. */
  readonly leadBars: number;
  readonly leadSeconds: Seconds;
  /** Notes for the receiver; may be empty. */
  readonly notes: string;
  readonly receiver: string;
  readonly changes: Changes | null;
  /** Of every file's first frame, at `rate`, from the timeline's zero. */
  readonly timeReference: Frames;
  readonly frames: Frames;
  readonly seconds: Seconds;
  readonly from: string;
  readonly to: string;
  readonly tempo: readonly Placed[];
  readonly meter: readonly Placed[];
  readonly markers: readonly Placed[];
  readonly files: readonly FileOnSheet[];
}

/** First and last tick of what a plan delivers; one tick apart at least. */
export function ticksOf(session: Session, plan: Pick<ExportPlan, "from" | "to">): readonly [Ticks, Ticks] {
  const map = tempoMap(session.tempo, session.rate);
  const from = map.toTicks(plan.from);
  return [from, Math.max(from + 1, map.toTicks(plan.to))];
}

/** Which revision a delivery is made of, when that was, and what it carries on. */
export interface Made {
  readonly revision: number;
  readonly date: Date;
  readonly changes?: Changes | null;
}

/** `files` are in the order of the plan's; `date` is the revision's. */
export function sheetFacts(
  session: Session,
  plan: ExportPlan,
  written: readonly FileAsWritten[],
  { revision, date, changes = null }: Made,
): SheetFacts {
  const tempo = tempoMap(session.tempo, session.rate);
  const meter = meterMap(session.meter, session.leadIn);
  const tracks = byId(session.tracks);
  const [from, to] = ticksOf(session, plan);
  const leadSeconds = plan.leadFrames / plan.rate;
  const start = tempo.toSeconds(from) - leadSeconds;
  const longest = written.reduce((most, f) => Math.max(most, f.frames), 0);
  const placed = (tick: Ticks, text: string): Placed => {
    const seconds = tempo.toSeconds(tick) - start;
    return {
      position: formatPosition(meter.position(tick)),
      clock: seconds < 0 ? `before (${formatClock(-seconds)})` : formatClock(seconds),
      text,
    };
  };
  // What is in force at the first frame is told as if it began there.
  const within = <T>(items: readonly T[], tickOf: (item: T) => Ticks, textOf: (item: T) => string) =>
    items.flatMap((item, i) => {
      const next = items[i + 1];
      if (tickOf(item) > to || (next !== undefined && tickOf(next) <= from)) return [];
      return [placed(Math.max(from, tickOf(item)), textOf(item))];
    });
  return {
    song: session.name,
    revision,
    date: date.toISOString().slice(0, 10),
    rate: plan.rate,
    depth: plan.depth,
    dither: plan.dither && plan.depth !== "32f",
    ends: plan.ends,
    leadBars: plan.leadBars,
    leadSeconds,
    notes: session.sheet.notes,
    receiver: session.sheet.receiver,
    changes,
    timeReference: plan.timeReference,
    frames: longest,
    seconds: longest / plan.rate,
    from: formatPosition(meter.position(from)),
    to: formatPosition(meter.position(to)),
    tempo: within(
      session.tempo,
      (p) => p.tick,
      (p) => `${Math.round(p.bpm * 1000) / 1000} bpm${p.shape === "ramp" ? ", moving to the next" : ""}`,
    ),
    meter: within(
      session.meter,
      (p) => meter.barToTick(p.bar),
      (p) => `${p.numerator}/${p.denominator}`,
    ),
    markers: session.markers.filter((m) => m.tick >= from && m.tick <= to).map((m) => placed(m.tick, m.name)),
    files: plan.files.flatMap((file, i) => {
      const facts = written[i];
      return facts
        ? [
            {
              ...facts,
              name: file.fileName,
              title: file.title,
              role: file.role,
              format: file.format,
              fold: file.fold,
              sources: file.sources.map((s) => shownName(tracks.get(s))),
              isReturn: file.sources.length > 0 && file.sources.every((s) => tracks.get(s)?.kind === "return"),
              tap: file.tap,
            },
          ]
        : [];
    }),
  };
}
