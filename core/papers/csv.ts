import { depthName } from "../units";
import { formatChannels, formatTap } from "../words/delivered";
import { fileFormats } from "../words/settings";
import { sinceThen } from "../words/changes";
import type { FileOnSheet, SheetFacts } from "./facts";

type Cell = string | number | null;

const columns: readonly (readonly [heading: string, cell: (file: FileOnSheet, sheet: SheetFacts) => Cell])[] = [
  ["File", (f) => f.name],
  ["Title", (f) => f.title],
  ["Kind", (f) => f.role],
  ["Made of", (f) => f.sources.join("; ")],
  ["Taken", (f) => formatTap(f.tap, f.isReturn)],
  ["Channels", (f) => (f.fold === "left" || f.fold === "right" ? f.fold : formatChannels(f.channels))],
  ["Format", (f) => fileFormats[f.format].label],
  ["Rate (Hz)", (f) => f.rate],
  ["Depth", (f, sheet) => (f.format === "mp3" ? null : depthName(sheet.depth))],
  ["First frame (frames)", (_, sheet) => sheet.timeReference],
  ["Silence in front (bars)", (_, sheet) => sheet.leadBars],
  ["Length (frames)", (f) => f.frames],
  ["Length (s)", (f) => rounded(f.frames / f.rate, 6)],
  ["Starts at (bar.beat.tick)", (_, sheet) => sheet.from],
  ["Loudness (LUFS)", (f) => rounded(f.measures.lufs, 2)],
  ["Range (LU)", (f) => rounded(f.measures.rangeLu, 2)],
  ["Peak (dBFS)", (f) => rounded(f.measures.peakDb, 2)],
  ["True peak (dBTP)", (f) => rounded(f.measures.truePeakDb, 2)],
  ["Size (bytes)", (f) => f.bytes],
  ["SHA-256", (f) => f.sha256],
  ["Since the last package", (f, { changes }) => changes && sinceThen(f, changes)],
];

/** Tells programs that open tables by their place in the world that this one is UTF-8. */
const BYTE_ORDER_MARK = "\ufeff";

/** The files of a delivery as a table, one a row, by RFC 4180. What was not measured, or is silent, is empty. */
export const sheetCsv = (sheet: SheetFacts): string =>
  BYTE_ORDER_MARK +
  [columns.map(([heading]) => heading), ...sheet.files.map((file) => columns.map(([, cell]) => cell(file, sheet)))]
    .map((row) => `${row.map(quoted).join(",")}\r\n`)
    .join("");

const rounded = (value: number | null, digits: number): number | null =>
  value === null || !Number.isFinite(value) ? null : Number(value.toFixed(digits));

function quoted(cell: Cell): string {
  if (typeof cell !== "string") return cell === null ? "" : String(cell);
  // Text that begins like a formula would be computed where the table is opened; behind an apostrophe it stays text.
  // Spaces and signs that are not seen in front of it are skipped by programs, and wide forms of the signs are read.
  const text =
    /^[\s\p{Cf}\p{Z}\p{Cc}]*[=+\-@\t\r\uff1d\uff0b\uff0d\uff20\ufe62\ufe63\ufe66\u2212]/u.test(cell) ||
    /^[\t\r]/.test(cell)
      ? `'${cell}`
      : cell;
  return /[",\r\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
}
