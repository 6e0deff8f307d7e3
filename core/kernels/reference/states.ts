/** Below this a state becomes zero. */
export const FLUSH = 1e-30;
/** Frames after which states are looked at. */
export const QUANTUM = 64;
/** To single precision. */
export const f = Math.fround;
