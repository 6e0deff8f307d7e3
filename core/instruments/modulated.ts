/** What a modulator adds to, in the unit of that. */
export const MODULATED = [
  "gainDb",
  "cents",
  "filterCents",
  "resonanceDb",
  "pan",
  "vibratoCents",
  "lfoCents",
  "lfoFilterCents",
  "lfoDb",
  "sweepCents",
  "sweepFilterCents",
  "attackCents",
  "holdCents",
  "decayCents",
  "releaseCents",
  "startFrames",
] as const;
