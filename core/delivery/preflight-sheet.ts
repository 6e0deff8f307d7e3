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
  return rows.flatMap((row): readonly Finding[] => {
    const key = row.name.trim().toLowerCase();
    const times = (seen.get(key) ?? 0) + 1;
    seen.set(key, times);
    if (times === 1) return [];
    const name = `${row.name.trim()} ${times}`;
    const fix = step(`Rename ${row.name}`, [{ do: "set", in: "rows", id: row.id, patch: { name } }]);
    return [{ id: `same-${row.id}`, weight: "look", kind: "same name", stem: row.name, better: name, fix }];
  });
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
  return rows
    .filter((r) => isOfReturns(session, r))
    .map((row) => ({
      id: `twice-${row.id}`,
      weight: "look",
      kind: "return twice",
      stem: row.name,
      fix: setRows(`Do not export ${row.name}`, [row], { ticked: false }),
    }));
}

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
  return [
    ...(clipped.length > 0 && sheet.depth !== "32f"
      ? [
          {
            id: "clipped",
            weight: "look",
            kind: "clipped",
            stems: clipped.map((r) => r.name),
            fix: setSheet("Deliver float", float),
          } as const,
        ]
      : []),
    ...silent.map(
      (row) =>
        ({
          id: `was-silent-${row.id}`,
          weight: "look",
          kind: "was silent",
          stem: row.name,
          fix: setRows(`Do not export ${row.name}`, [row], { ticked: false }),
        }) as const,
    ),
    ...alike.map(
      (row) =>
        ({
          id: `alike-${row.id}`,
          weight: "look",
          kind: "mono as stereo",
          stem: row.name,
          fix: setRows(`Channels of ${row.name}`, [row], { channels: "as it is" }),
        }) as const,
    ),
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
