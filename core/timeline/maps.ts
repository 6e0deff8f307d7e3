import type { MeterPoint } from "../time/meter";
import type { TempoPoint } from "../time/tempo";

const LEAST_BPM = 10;
const MOST_BPM = 500;
const MOST_POINTS = 10_000;
const DENOMINATORS = [1, 2, 4, 8, 16, 32] as const;

const field = (value: unknown, name: string): unknown =>
  typeof value === "object" && value !== null ? (value as Record<string, unknown>)[name] : undefined;

/** A usable tempo map of one from a file; null where it is none. */
export function tempoIn(value: unknown): readonly TempoPoint[] | null {
  if (!Array.isArray(value)) return null;
  const points = (value as unknown[]).slice(0, MOST_POINTS).flatMap((p): TempoPoint[] => {
    const tick = field(p, "tick");
    const bpm = field(p, "bpm");
    if (typeof tick !== "number" || typeof bpm !== "number" || !Number.isFinite(bpm)) return [];
    if (!Number.isSafeInteger(tick) || tick < 0) return [];
    const shape = field(p, "shape") === "ramp" ? "ramp" : "hold";
    return [{ tick, bpm: Math.max(LEAST_BPM, Math.min(MOST_BPM, bpm)), shape }];
  });
  return usableTempo(points);
}

/** Points in order, one a tick, from tick 0 on; null where there is none. */
export function usableTempo(points: readonly TempoPoint[]): readonly TempoPoint[] | null {
  const byTick = new Map([...points].sort((a, b) => a.tick - b.tick).map((p) => [p.tick, p]));
  const [first, ...rest] = [...byTick.values()];
  if (!first) return null;
  return first.tick === 0 ? [first, ...rest] : [{ tick: 0, bpm: first.bpm, shape: "hold" }, first, ...rest];
}

/** A usable map of meters of one from a file; null where it is none. */
export function meterIn(value: unknown): readonly MeterPoint[] | null {
  if (!Array.isArray(value)) return null;
  const points = (value as unknown[]).slice(0, MOST_POINTS).flatMap((p): MeterPoint[] => {
    const bar = field(p, "bar");
    const numerator = field(p, "numerator");
    const denominator = DENOMINATORS.find((d) => d === field(p, "denominator"));
    if (typeof bar !== "number" || typeof numerator !== "number" || !denominator) return [];
    if (!Number.isInteger(bar) || bar < 1 || bar > 100_000) return [];
    return Number.isInteger(numerator) && numerator >= 1 && numerator <= 64 ? [{ bar, numerator, denominator }] : [];
  });
  const byBar = new Map(points.sort((a, b) => a.bar - b.bar).map((p) => [p.bar, p]));
  const [first, ...rest] = [...byBar.values()];
  if (!first) return null;
  return first.bar === 1 ? [first, ...rest] : [{ bar: 1, numerator: 4, denominator: 4 }, first, ...rest];
}
