import type { Seconds } from "./units";

/** Nothing longer is rendered: a clip that was put months away by accident must not fill a disk. */
export const LONGEST_RENDER_S: Seconds = 24 * 3600;

/** Why something that ends at a frame of the timeline is not rendered; null: it is short enough. */
export function tooLong(end: number, rate: number): string | null {
  const hours = end / rate / 3600;
  return hours * 3600 <= LONGEST_RENDER_S
    ? null
    : `it would end after ${hours >= 48 ? `${Math.round(hours / 24)} days` : `${Math.round(hours)} hours`}; nothing longer than ${LONGEST_RENDER_S / 3600} hours is rendered`;
}
