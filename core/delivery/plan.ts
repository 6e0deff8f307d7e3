import { convertedFrame } from "../analysis/resample";
import { sessionEnd } from "../engine/render";
import type { Tap } from "../engine/tap";
import { MIX_AFTER } from "../engine/tap";
import { fingerprint } from "../printing/fingerprint";
import { withLiveSources } from "../printing/freeze";
import type { Session } from "../session/document";
import type { Depth } from "../units";
import type { Checked } from "../session/problem";
import { refuse } from "../session/problem";
import { tempoMap } from "../time/tempo";
import { tooLong } from "../limits";
import type { Frames } from "../units";
import { folderName, mixFileName, stemFileNames } from "./naming";
import type { Silence } from "./silence";
import { silenceOf } from "./silence";
import { stemRows } from "./sheet";

/** One file of a delivery. */
export interface StemFile {
  readonly fileName: string;
  readonly title: string;
  readonly role: "stem" | "reference mix";
  readonly sources: readonly string[];
  readonly tap: Tap;
  readonly fingerprint: string;
  readonly silence: Silence;
}

/** Everything an export does, decided before a sample is rendered. */
export interface ExportPlan {
  readonly folder: string;
  readonly files: readonly StemFile[];
  /** At the session's rate. */
  readonly from: Frames;
  readonly to: Frames;
  readonly tail: "measured" | "none";
  /** Where the range ends inside the session; null when it goes to the last sound. */
  readonly endAt: Frames | null;
  readonly rate: number;
  readonly depth: Depth;
  readonly dither: boolean;
  /** Of the first frame, at the delivered rate. */
  readonly timeReference: Frames;
}

/**
 * The session as a plan has to render it: what plays a print of a live source cannot be let go at the end of a range
 * and ring on, so there the source itself plays.
 */
export const sessionFor = (session: Session, plan: Pick<ExportPlan, "endAt" | "tail">): Session =>
  plan.endAt === null || plan.tail === "none" ? session : withLiveSources(session);

/** Plans the export of a session's stem sheet. */
export function planExport(session: Session): Checked<ExportPlan> {
  const { sheet } = session;
  const rows = stemRows(session);
  if (rows.length === 0) return refuse("sheet.rows", "no track of the session sounds, so there is nothing to deliver");
  const tempo = tempoMap(session.tempo, session.rate);
  const from = sheet.from === null ? 0 : tempo.toFrames(sheet.from);
  const to = sheet.to === null ? sessionEnd(session) : tempo.toFrames(sheet.to);
  if (to <= from) return refuse("sheet", "there is nothing to render in the range");
  const long = tooLong(to, session.rate);
  if (long) return refuse("sheet", long);
  const rate = sheet.rate ?? session.rate;
  const names = stemFileNames(rows);
  const stems = rows.map((row, i): StemFile => {
    const tap: Tap = { kind: "path", sources: row.sources, at: row.tap, returns: row.returns, linked: row.linked };
    return {
      fileName: names[i] ?? "",
      title: row.name,
      role: "stem",
      sources: row.sources,
      tap,
      fingerprint: fingerprint(session, tap),
      silence: silenceOf(session, tap, from, to),
    };
  });
  const mix: StemFile = {
    fileName: mixFileName(session),
    title: "Reference mix",
    role: "reference mix",
    sources: [],
    tap: MIX_AFTER,
    fingerprint: fingerprint(session, MIX_AFTER),
    silence: silenceOf(session, MIX_AFTER, from, to),
  };
  return {
    ok: true,
    value: {
      folder: folderName(session),
      files: [...stems, mix],
      from,
      to,
      tail: sheet.tail,
      endAt: sheet.to === null ? null : to,
      rate,
      depth: sheet.depth,
      dither: sheet.dither,
      timeReference: convertedFrame(from, session.rate, rate),
    },
  };
}
