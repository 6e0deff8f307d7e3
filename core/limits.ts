import type { Seconds } from "./units";

/** Nothing longer is rendered: a clip that was put months away by accident must not fill a disk. */
export const LONGEST_RENDER_S: Seconds = 24 * 3600;

/** Hours from the timeline's zero to a frame, where that is too long to be rendered; else null. */
export function hoursTooLong(end: number, rate: number): number | null {
  const seconds = end / rate;
  return seconds <= LONGEST_RENDER_S ? null : seconds / 3600;
}
