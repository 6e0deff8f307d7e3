import type { Measures } from "../analysis/measure";
import type { Session, Sheet, StemRow } from "../session/document";
import type { Edit, Step } from "../session/edits";
import { AIFF_LIMIT_BYTES } from "../formats/aiff/write";
import { frameBytes } from "../formats/wav/format";
import { planExport } from "./plan";
import type { Finding } from "./finding";
import { profiles } from "./profiles";
import { isOfReturns, onRows, stemRows } from "./sheet";

/** What was measured of the last export's files, by their titles. */
export type LastMeasured = ReadonlyMap<string, Pick<Measures, "clippedSamples" | "peakDb" | "mono">>;

/** What the sheet itself asks for that a receiver should not get, or not like this. */
export function preflightSheet(session: Session, last: LastMeasured): readonly Finding[] {
  const { sheet } = session;
  const rows = stemRows(session).filter((r) => r.ticked);
  const step = (label: string, edits: readonly Edit[]): Step => onRows(session, { label, edits: [...edits] });
  const setRows = (label: string, which: readonly StemRow[], patch: Partial<Omit<StemRow, "id" | "sources">>): Step =>
    step(
      label,
      which.map((row): Edit => ({ do: "set", in: "rows", id: row.id, patch })),
    );
  const setSheet = (label: string, patch: Partial<Omit<Sheet, "rows">>): Step =>
    step(label, [{ do: "set sheet", patch }]);
  return [
    ...sameNames(rows, step),
    ...throughTheMix(rows, setRows),
    ...twice(session, rows, setRows),
    ...asMeasured(sheet, rows, last, setRows, setSheet),
    ...formats(session, setSheet),
  ];
}

type SetRows = (label: string, which: readonly StemRow[], patch: Partial<Omit<StemRow, "id" | "sources">>) => Step;
type SetSheet = (label: string, patch: Partial<Omit<Sheet, "rows">>) => Step;

function sameNames(
  rows: readonly StemRow[],
  step: (label: string, edits: readonly Edit[]) => Step,
): readonly Finding[] {
  const seen = new Map<string, number>();
  const twins = rows.flatMap((row) => {
    const key = row.name.trim().toLowerCase();
    const times = (seen.get(key) ?? 0) + 1;
    seen.set(key, times);
    return times === 1 ? [] : [{ row, better: `${row.name.trim()} ${times}` }];
  });
  if (twins.length === 0) return [];
  const edits = twins.map(({ row, better }): Edit => ({ do: "set", in: "rows", id: row.id, patch: { name: better } }));
  const label = twins.length === 1 ? `Rename ${twins[0]?.row.name ?? ""}` : "Rename stems";
  const stems = twins.map(({ row, better }) => ({ name: row.name, better }));
  return [{ id: "same-name", weight: "look", kind: "same name", stems, fix: step(label, edits) }];
}

function throughTheMix(rows: readonly StemRow[], setRows: SetRows): readonly Finding[] {
  const through = rows.filter((r) => r.tap === "mix");
  if (through.length === 0) return [];
  return [
    {
      id: "mix-chain",
      weight: through.length === rows.length ? "know" : "look",
      kind: "mix chain in stems",
      stems: through.length,
      of: rows.length,
      fix: setRows("Take all stems up to the mix", through, { tap: "group" }),
    },
  ];
}

/** Returns that are delivered alone and are in stems as well. */
function twice(session: Session, rows: readonly StemRow[], setRows: SetRows): readonly Finding[] {
  if (!rows.some((r) => r.returns)) return [];
  const alone = rows.filter((r) => isOfReturns(session, r));
  return concerning("return twice", alone, setRows("Do not export the returns", alone, { ticked: false }));
}

/** One finding for all stems of which something is to be looked at; none for none. */
const concerning = (
  kind: "return twice" | "was silent" | "mono as stereo" | "clipped",
  rows: readonly StemRow[],
  fix: Step,
): readonly Finding[] =>
  rows.length === 0 ? [] : [{ id: kind, weight: "look", kind, stems: rows.map((r) => r.name), fix }];

/** What the last export's files were like, as far as the sheet still asks for the same. */
function asMeasured(
  sheet: Sheet,
  rows: readonly StemRow[],
  last: LastMeasured,
  setRows: SetRows,
  setSheet: SetSheet,
): readonly Finding[] {
  const clipped = rows.filter((r) => (last.get(r.name)?.clippedSamples ?? 0) > 0);
  const silent = rows.filter((r) => last.get(r.name)?.peakDb === null);
  const alike = rows.filter((r) => r.channels === "stereo" && last.get(r.name)?.mono);
  const float: Partial<Omit<Sheet, "rows">> =
    sheet.format === "flac" ? { depth: "32f", format: "wav" } : { depth: "32f" };
  const called = (of: readonly StemRow[]) => (of.length === 1 ? (of[0]?.name ?? "") : `${of.length} stems`);
  return [
    ...(sheet.depth === "32f" ? [] : concerning("clipped", clipped, setSheet("Deliver float", float))),
    ...concerning("was silent", silent, setRows(`Do not export ${called(silent)}`, silent, { ticked: false })),
    ...concerning("mono as stereo", alike, setRows(`Channels of ${called(alike)}`, alike, { channels: "as it is" })),
  ];
}

function formats(session: Session, setSheet: SetSheet): readonly Finding[] {
  const { sheet } = session;
  const findings: Finding[] = [];
  const wanted = profiles.find((p) => p.name === sheet.receiver)?.body.sheet.rate ?? null;
  const rate = sheet.rate ?? session.rate;
  if (wanted !== null && rate !== wanted)
    findings.push({
      id: "rate",
      weight: "look",
      kind: "wrong rate",
      rate,
      wanted,
      receiver: sheet.receiver,
      fix: setSheet("Rate of the stems", { rate: wanted === session.rate ? null : wanted }),
    });
  if (sheet.format === "flac" && sheet.depth === "32f")
    findings.push({
      id: "flac-float",
      weight: "know",
      kind: "no float in FLAC",
      fix: setSheet("Deliver WAV", { format: "wav" }),
    });
  const plan = planExport(session);
  if (!plan.ok || sheet.format !== "aiff") return findings;
  const { from, to, tailFrames, depth } = plan.value;
  const seconds = (to - from + tailFrames) / session.rate;
  if (seconds * rate * frameBytes({ rate, depth, channels: 2 }) > AIFF_LIMIT_BYTES)
    findings.push({
      id: "aiff-size",
      weight: "stop",
      kind: "too long for AIFF",
      fix: setSheet("Deliver WAV", { format: "wav" }),
    });
  return findings;
}
