import type { Session, StemRow } from "../session/document";

/** Longest file name in bytes of UTF-8, extension included; every file system in use takes this many. */
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

/** The file name of every row, in order, unique without regard to case. */
export function stemFileNames(rows: readonly StemRow[]): readonly string[] {
  const digits = Math.max(2, String(rows.length).length);
  const used = new Set<string>();
  return rows.map((row, i) => {
    const base = `${String(i + 1).padStart(digits, "0")} ${safeName(row.name)}`;
    let name = base;
    for (let n = 2; used.has(name.toLowerCase()); n++) name = `${base} ${n}`;
    used.add(name.toLowerCase());
    return `${name}.wav`;
  });
}

export const mixFileName = (session: Session): string => `${safeName(session.name)} reference mix.wav`;

/** Song, "Stems" and the tempo: `Harbour Lamps - Stems - 96 to 84 bpm`. */
export function folderName(session: Session): string {
  const bpms = session.tempo.map((p) => p.bpm);
  const shown = (bpm: number) => String(Math.round(bpm * 100) / 100);
  const low = Math.min(...bpms);
  const high = Math.max(...bpms);
  const first = session.tempo[0]?.bpm ?? 120;
  const tempo = low === high ? shown(first) : `${shown(low)} to ${shown(high)}`;
  return safeName(`${session.name} - Stems - ${tempo} bpm`);
}
