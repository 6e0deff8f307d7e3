import { createRequire } from "node:module";
import type { Readable } from "node:stream";
import PDFDocument from "pdfkit";
import type { Paper } from "../../core/papers/papers";
import { safeName } from "../../core/delivery/naming";
import { formatTap } from "../../core/words/delivered";
import { sayChanges } from "../../core/words/changes";
import { formatNumber } from "../../core/words/numbers";
import type { FileOnSheet, SheetFacts } from "../../core/papers/facts";
import { outlineOf } from "../../core/papers/outline";
import { channelsText, liningUp, summary } from "../../core/papers/sentences";

type Doc = InstanceType<typeof PDFDocument>;

/** A4 in points. */
const PAGE = { width: 595.28, height: 841.89 };
const MARGIN = 48;
const WIDTH = PAGE.width - 2 * MARGIN;
const WAVE = { points: 160, width: 120, height: 22 };
const LEVEL_WIDTH = 44;
const INK = "#16211b";
const SOFT = "#4b5850";
const SPOT = "#1b6549";
const RULE = "#ccd3c9";

const fontPath = (name: string): string => createRequire(import.meta.url).resolve(`dejavu-fonts-ttf/ttf/${name}.ttf`);

/** The sheet of a delivery to be printed: the same facts give the same bytes. Letters come with it. */
export async function sheetPdf(facts: SheetFacts, date: Date): Promise<Paper> {
  const doc = new PDFDocument({
    size: "A4",
    margin: MARGIN,
    info: {
      Title: `${facts.song}: stem sheet`,
      Creator: "Stemzo",
      Producer: "Stemzo",
      CreationDate: date,
      ModDate: date,
    },
  });
  const bytes = collected(doc);
  doc.registerFont("plain", fontPath("DejaVuSans"));
  doc.registerFont("strong", fontPath("DejaVuSans-Bold"));
  doc.font("strong").fontSize(8).fillColor(SPOT).text("Stem sheet");
  doc.fontSize(22).fillColor(INK).text(facts.song);
  doc.font("plain").fontSize(9).text(summary(facts));
  section(doc, "Notes", facts.notes.trim() === "" ? [] : facts.notes.trim().split(/\n+/));
  section(doc, "Lining up", [liningUp(facts)]);
  section(doc, "Since the last package", facts.changes ? sayChanges(facts.changes) : []);
  heading(doc, "Files");
  filesHead(doc);
  for (const file of facts.files) fileRow(doc, file);
  places(doc, "Tempo", facts.tempo);
  places(doc, "Meter", facts.meter);
  places(doc, "Markers", facts.markers);
  doc.end();
  return { name: `${safeName(facts.song)} sheet.pdf`, role: "printed sheet", bytes: await bytes };
}

function collected(doc: Doc): Promise<Uint8Array> {
  const stream = doc as unknown as Readable;
  return new Promise((resolve, reject) => {
    const chunks: Buffer[] = [];
    stream.on("data", (chunk: Buffer) => chunks.push(chunk));
    stream.on("end", () => resolve(Buffer.concat(chunks)));
    stream.on("error", reject);
  });
}

/** Begins a new page where so much does not go on this one. */
function room(doc: Doc, height: number): boolean {
  if (doc.y + height <= PAGE.height - MARGIN) return false;
  doc.addPage();
  return true;
}

function heading(doc: Doc, title: string): void {
  room(doc, 60);
  doc.moveDown(1.2).font("strong").fontSize(10).fillColor(SPOT).text(title, MARGIN);
  doc.moveDown(0.3).font("plain").fontSize(9).fillColor(INK);
}

function section(doc: Doc, title: string, paragraphs: readonly string[]): void {
  if (paragraphs.length === 0) return;
  heading(doc, title);
  for (const text of paragraphs) doc.text(text, MARGIN, doc.y, { width: WIDTH, paragraphGap: 3 });
}

const columns = {
  wave: MARGIN + WIDTH - 2 * LEVEL_WIDTH - WAVE.width,
  lufs: MARGIN + WIDTH - 2 * LEVEL_WIDTH,
  peak: MARGIN + WIDTH - LEVEL_WIDTH,
};
const NAME_WIDTH = columns.wave - MARGIN - 12;

function filesHead(doc: Doc): void {
  const y = doc.y;
  const right = { width: LEVEL_WIDTH, align: "right" as const };
  doc.font("strong").fontSize(7).fillColor(SOFT);
  doc.text("File", MARGIN, y).text("LUFS", columns.lufs, y, right).text("dBTP", columns.peak, y, right);
  doc.moveDown(0.3);
}

function fileRow(doc: Doc, file: FileOnSheet): void {
  const own = file.sources.length === 0 || (file.sources.length === 1 && file.sources[0] === file.title);
  const made = own ? "" : ` Made of ${file.sources.join(", ")}.`;
  const about = `${channelsText(file)}: ${formatTap(file.tap, file.isReturn)}.${made}`;
  doc.font("strong").fontSize(9);
  const nameHeight = doc.heightOfString(file.name, { width: NAME_WIDTH });
  doc.font("plain").fontSize(7.5);
  const height = nameHeight + doc.heightOfString(about, { width: NAME_WIDTH }) + 10;
  if (room(doc, height)) filesHead(doc);
  const y = doc.y;
  doc
    .moveTo(MARGIN, y)
    .lineTo(MARGIN + WIDTH, y)
    .lineWidth(0.5)
    .strokeColor(RULE)
    .stroke();
  doc
    .font("strong")
    .fontSize(9)
    .fillColor(INK)
    .text(file.name, MARGIN, y + 4, { width: NAME_WIDTH });
  doc
    .font("plain")
    .fontSize(7.5)
    .fillColor(SOFT)
    .text(about, MARGIN, y + 4 + nameHeight, { width: NAME_WIDTH });
  const level = (value: number | null) =>
    value === null || !Number.isFinite(value) ? "silent" : formatNumber(value, 1);
  const right = { width: LEVEL_WIDTH, align: "right" as const };
  doc.fontSize(8.5).fillColor(INK);
  doc.text(level(file.measures.lufs), columns.lufs, y + 4, right);
  doc.text(level(file.measures.truePeakDb), columns.peak, y + 4, right);
  wave(doc, file, y + 4);
  doc.x = MARGIN;
  doc.y = y + height;
}

function wave(doc: Doc, file: FileOnSheet, y: number): void {
  const middle = y + WAVE.height / 2;
  doc
    .moveTo(columns.wave, middle)
    .lineTo(columns.wave + WAVE.width, middle)
    .lineWidth(0.4)
    .strokeColor(RULE)
    .stroke();
  const spans = outlineOf(file.overview, WAVE.points);
  if (spans.length === 0) return;
  const x = (i: number) => columns.wave + (i * WAVE.width) / Math.max(1, spans.length - 1);
  const at = (value: number) => middle - (value * WAVE.height) / 2;
  spans.forEach(({ most }, i) => (i === 0 ? doc.moveTo(x(0), at(most)) : doc.lineTo(x(i), at(most))));
  [...spans].reverse().forEach(({ least }, i) => doc.lineTo(x(spans.length - 1 - i), at(least)));
  doc.closePath().fillColor(SPOT).fill();
}

function places(doc: Doc, title: string, list: SheetFacts["tempo"]): void {
  if (list.length === 0) return;
  heading(doc, title);
  for (const { position, clock, text } of list) {
    room(doc, 14);
    const y = doc.y;
    doc
      .fillColor(SOFT)
      .text(position, MARGIN, y, { width: 70 })
      .text(clock, MARGIN + 76, y, { width: 90 });
    doc.fillColor(INK).text(text, MARGIN + 172, y, { width: WIDTH - 172 });
  }
}
