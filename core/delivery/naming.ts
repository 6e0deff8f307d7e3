import { meterMap } from "../time/meter";
import type { Chip, Session, Sheet, StemRow } from "../session/document";
import { depthName } from "../units";

/** Longest name in bytes of UTF-8, its ending not counted; every file system in use takes this many. */
const MAX_NAME_BYTES = 120;
const RESERVED = /^(con|prn|aux|nul|com[0-9]|lpt[0-9])$/i;

/** A name that every file system takes: NFC, no control or reserved characters, no trailing dot or space, not empty. */
export function safeName(text: string, fallback = "unnamed"): string {
  let name = text
    .normalize("NFC")
    .replace(/[\u0000-\u001f\u007f<>:"/\\|?*\u200b-\u200f\u202a-\u202e\u2066-\u2069\ufeff]/g, "-")
    .replace(/\s+/g, " ")
    .trim();
  while (utf8Length(name) > MAX_NAME_BYTES) name = [...name].slice(0, -1).join("");
  name = name.replace(/[. ]+$/, "").replace(/^[. ]+/, "");
  if (name === "") return fallback;
  return RESERVED.test(name.split(".")[0] ?? "") ? `${name}_` : name;
}

function utf8Length(text: string): number {
  let bytes = 0;
  for (const c of text) {
    const code = c.codePointAt(0) ?? 0;
    bytes += code < 0x80 ? 1 : code < 0x800 ? 2 : code < 0x10000 ? 3 : 4;
  }
  return bytes;
}

/** What chips are filled with. `stem` and `number` are a file's; a folder has neither. */
interface Known {
  readonly date: Date | null;
  readonly stem?: string;
  readonly number?: string;
}

/** Shown where a name says a date before the delivery has one. */
const UNDATED = "yyyy-mm-dd";

/** What one chip says; nothing where there is nothing to say. */
export function sayChip({ kind, text }: Chip, session: Session, { date, stem = "", number = "" }: Known): string {
  const { sheet } = session;
  switch (kind) {
    case "text":
      return text;
    case "stem":
      return stem;
    case "number":
      return number;
    case "song":
      return session.name;
    case "tempo":
      return tempoText(session);
    case "key":
      return sheet.key;
    case "meter": {
      const { numerator, denominator } = meterMap(session.meter, session.leadIn).meterAt(1);
      return `${numerator}-${denominator}`;
    }
    case "rate":
      return `${(sheet.rate ?? session.rate) / 1000} kHz`;
    case "depth":
      return depthName(sheet.depth);
    case "version":
      return sheet.version === "" ? "" : `v${sheet.version}`;
    case "date":
      return date === null ? UNDATED : date.toISOString().slice(0, 10);
  }
}

/** Chips as one name, with a space between what they say. */
const sayChips = (chips: readonly Chip[], session: Session, known: Known): string =>
  safeName(
    chips
      .map((chip) => sayChip(chip, session, known))
      .filter((text) => text !== "")
      .join(" "),
    known.stem === undefined ? session.name : known.stem,
  );

function tempoText(session: Session): string {
  const bpms = session.tempo.map((p) => p.bpm);
  const shown = (bpm: number) => String(Math.round(bpm * 100) / 100);
  const low = bpms.reduce((a, b) => Math.min(a, b), Infinity);
  const high = bpms.reduce((a, b) => Math.max(a, b), 0);
  return `${low === high ? shown(session.tempo[0]?.bpm ?? 120) : `${shown(low)} to ${shown(high)}`} bpm`;
}

/** The package's folder and its ZIP's name: `Harbour Lamps - Stems - 96 to 84 bpm` by default. */
export const folderName = (session: Session, date: Date | null = null): string =>
  sayChips(session.sheet.folderName, session, { date });

/** Hands out names that no other has, without regard to case; says how often one was asked for that was taken. */
export class NamesTaken {
  private readonly used = new Set<string>();
  /** Names that others had already. */
  readonly collided = new Set<string>();

  take(wanted: string): string {
    let name = wanted;
    for (let n = 2; this.used.has(name.toLowerCase()); n++) name = `${wanted} ${n}`;
    if (name !== wanted) this.collided.add(wanted);
    this.used.add(name.toLowerCase());
    return name;
  }
}

/**
 * A row's file name without its ending, before it is made unique. `index` is the row's place on the whole sheet, so
 * that a stem is called the same whether it is exported alone or with all others.
 */
export function stemName(session: Session, row: StemRow, index: number, rows: number, date: Date | null): string {
  const digits = Math.max(2, String(rows).length);
  const number = String(index + 1).padStart(digits, "0");
  return sayChips(session.sheet.fileName, session, { date, stem: row.name, number });
}

export const mixName = (session: Session, which: Sheet["mixes"][number]): string =>
  `${safeName(session.name)} ${which === "after its chain" ? "reference mix" : "mix before its chain"}`;
