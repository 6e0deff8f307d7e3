/** What a number of a field counts. */
export type Unit = "dB" | "ms" | "s" | "Hz" | "bpm" | "%" | "cents" | "beats" | "none";

const MINUS = /[−–]/g;
/** What every unit that can be typed is in one of the field's. */
const FACTORS: Readonly<Partial<Record<Unit, Readonly<Record<string, number>>>>> = {
  dB: { db: 1, decibel: 1, decibels: 1 },
  ms: { ms: 1, msec: 1, s: 1000, sec: 1000, second: 1000, seconds: 1000, min: 60_000 },
  s: { ms: 0.001, msec: 0.001, s: 1, sec: 1, second: 1, seconds: 1, min: 60 },
  Hz: { hz: 1, khz: 1000, k: 1000 },
  bpm: { bpm: 1 },
  "%": { "%": 1, percent: 1 },
  cents: { ct: 1, cent: 1, cents: 1, st: 100, semitone: 100, semitones: 100, octave: 1200, octaves: 1200 },
  beats: { beat: 1, beats: 1 },
  none: {},
};
/** What a level is that is off. */
const OFF_DB = -144;

/**
 * A number as it was typed, in the unit of the field: `-6 dB`, `1,5 s`, `1:30`, `2 beats`, `off`. `beatS`: how
 * long a beat is here, where a length can be given in beats. Null: it is no number, or of another kind.
 */
export function typedNumber(text: string, unit: Unit = "none", beatS: number | null = null): number | null {
  const said = text.trim().toLowerCase().replace(MINUS, "-").replace(",", ".");
  if (unit === "dB" && /^(off|-?(inf|infinity|∞))( db)?$/.test(said)) return OFF_DB;
  const isTime = unit === "s" || unit === "ms";
  const clock = /^(?:(\d+):)?(\d+):(\d+(?:\.\d+)?)$/.exec(said);
  if (clock) {
    if (!isTime) return null;
    const seconds = Number(clock[1] ?? 0) * 3600 + Number(clock[2]) * 60 + Number(clock[3]);
    return unit === "ms" ? seconds * 1000 : seconds;
  }
  const [, figures, word = ""] = /^([-+]?(?:\d+\.?\d*|\.\d+)(?:e[-+]?\d+)?)\s*([a-z%]*)$/.exec(said) ?? [];
  if (figures === undefined) return null;
  const value = Number(figures);
  if (!Number.isFinite(value)) return null;
  if (word === "") return value;
  if (isTime && /^beats?$/.test(word)) return beatS === null ? null : value * beatS * (unit === "ms" ? 1000 : 1);
  const factor = FACTORS[unit]?.[word];
  return factor === undefined ? null : value * factor;
}

/** How far an arrow key or a notch of the wheel moves a number; ten times as far with Shift. */
export const STEPS: Readonly<Record<Unit, number>> = {
  ...{ dB: 0.5, ms: 1, s: 0.1, Hz: 1, bpm: 1, "%": 1, cents: 1, beats: 1, none: 1 },
};
