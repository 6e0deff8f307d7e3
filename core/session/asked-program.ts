import { z } from "zod";
import { name, ticks } from "./fields";

/** What a wheel did, in steps: cents of the pitch wheel, percent of modulation. */
const wheelPoints = z.array(z.strictObject({ tick: ticks, value: z.number().min(-2400).max(2400) })).max(100000);

/** What the notes of a track asked for where they came from. */
export const askedProgramSchema = z.strictObject({
  /** 128 is the bank of drums. */
  bank: z.int().min(0).max(16_383),
  /** Counted from 0. */
  program: z.int().min(0).max(127),
  /** These become automation once an instrument that has them is put on the track. */
  bends: wheelPoints.default([]),
  wheel: wheelPoints.default([]),
  /**
   * The device of another program that played the notes and is not here; the program then fits its and the track's
   * name.
   */
  device: name.nullable().default(null),
});
