import { z } from "zod";
import type { Frozen } from "../core/session/document";

/** A preset of a file of instruments, by its place in it. */
export const presetInFileSchema = z.strictObject({
  name: z.string(),
  bank: z.int(),
  program: z.int(),
});
export type PresetInFile = Frozen<z.infer<typeof presetInFileSchema>>;

/** A file of instruments that was brought in: it belongs to all sessions. */
export const instrumentFileSchema = z.strictObject({
  /** SHA-256 of the file. */
  id: z.string(),
  /** What it calls itself. */
  name: z.string(),
  fileName: z.string(),
  bytes: z.int(),
  presets: z.array(presetInFileSchema),
  madeAt: z.string(),
});
export type InstrumentFile = Frozen<z.infer<typeof instrumentFileSchema>>;

/** Something that a preset asks for and that is not played here. */
export const lostOfInstrumentSchema = z.strictObject({ what: z.string(), zones: z.int() });
