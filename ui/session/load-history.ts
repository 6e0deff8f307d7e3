import type { MeasuredLoad } from "../../contract/session";

/** A measured load, and what was done since the one before; null for what the page began with. */
export interface LoadNote {
  readonly load: MeasuredLoad;
  readonly after: string | null;
}

/** Measurements that are remembered. */
const KEPT = 12;

/** What was done to a session between two measurements: the last of it by name, the others by number. */
export const afterOf = (labels: readonly string[]): string | null => {
  const last = labels.at(-1);
  return last === undefined ? null : labels.length === 1 ? last : `${last}, and ${labels.length - 1} more`;
};

/**
 * The history with a new measurement in front. One of the same revision takes the other's place: nothing was done in
 * between.
 */
export function noted(
  history: readonly LoadNote[],
  load: MeasuredLoad,
  labels: readonly string[],
): readonly LoadNote[] {
  const [latest, ...rest] = history;
  if (latest && latest.load.revision === load.revision) return [{ load, after: latest.after }, ...rest];
  return [{ load, after: afterOf(labels) }, ...history].slice(0, KEPT);
}
