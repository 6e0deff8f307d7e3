import type { Mend } from "./set";

/** Nothing is done to a file. */
export const unmended = (path: string, name: string): Mend => ({
  path,
  name,
  shift: 0,
  gainDb: 0,
  invert: false,
  swap: false,
  mono: false,
  leaveOut: false,
  drift: null,
});
