import { z } from "zod";

/* Fields that records of a session have in common. */

export const id = z.string().regex(/^[A-Za-z0-9_-]{1,64}$/, "an id is 1 to 64 letters, digits, - or _");
export const name = z.string().max(200);
/** 2^40: months of audio, and far from where doubles lose whole numbers. */
const LONGEST = 1099511627776;
export const frames = z.int().min(0).max(LONGEST);
export const ticks = z.int().min(0).max(LONGEST);
export const gainDb = z.number().min(-144).max(24);
export const hash = z.string().regex(/^[0-9a-f]{64}$/, "an audio hash is 64 hexadecimal digits");
