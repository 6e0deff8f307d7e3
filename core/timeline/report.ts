import type { Fate, Loss, Part } from "./loss";

/** Fates from what a receiver has least reason to look at to what has most. */
export const FATES: readonly Fate[] = ["left out", "approximated", "printed to audio", "kept"];

/** A loss report as it is read: what became of what, each part once, with the tracks it is about. */
export interface ReportLine {
  readonly part: Part;
  readonly fate: Fate;
  readonly count: number;
  /** Tracks, each once. */
  readonly where: readonly string[];
  readonly details: readonly string[];
}

/** Losses of one part and fate together, worst first. */
export function reportOf(losses: readonly Loss[]): readonly ReportLine[] {
  const lines = new Map<string, { count: number; where: Set<string>; details: Set<string>; part: Part; fate: Fate }>();
  for (const { part, fate, where, count, detail } of losses) {
    const key = `${fate}/${part}`;
    const line = lines.get(key) ?? { part, fate, count: 0, where: new Set<string>(), details: new Set<string>() };
    lines.set(key, line);
    line.count += count;
    if (where !== "") line.where.add(where);
    if (detail !== "") line.details.add(detail);
  }
  return [...lines.values()]
    .map((l) => ({ ...l, where: [...l.where], details: [...l.details] }))
    .sort((a, b) => FATES.indexOf(a.fate) - FATES.indexOf(b.fate));
}
