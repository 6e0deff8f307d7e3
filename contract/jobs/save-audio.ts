import { z } from "zod";
import { RATES } from "../../core/units";
import { jobKind } from "./kind";

/** Writes a piece of a session's audio as a file to be taken away. */
export const saveAudio = jobKind({
  request: {
    asset: z.string(),
    /** Of the file, without its ending. */
    name: z.string().trim().min(1).max(200),
    format: z.enum(["wav", "aiff", "flac", "mp3"]).default("wav"),
    /** Null: its own. */
    rate: z
      .union(RATES.map((r) => z.literal(r)))
      .nullable()
      .default(null),
    depth: z.enum(["16", "24", "32f"]).default("24"),
    /** Of 16 bits: whether the rounding is dithered. */
    dither: z.boolean().default(true),
    channels: z.enum(["as it is", "mono", "stereo"]).default("as it is"),
  },
  result: {
    fileName: z.string(),
    bytes: z.int(),
    /** At `rate`. */
    frames: z.int(),
    rate: z.int(),
    peakDb: z.number().nullable(),
  },
  priority: 0,
  impossible({ assets }, { asset, format, depth }) {
    const problems = [
      ...(assets.some((a) => a.id === asset && a.origin !== "missing")
        ? []
        : [{ where: "asset", what: "there is no such audio in the session" }]),
      ...(format === "flac" && depth === "32f"
        ? [{ where: "depth", what: "FLAC holds whole numbers: 16 or 24 bits" }]
        : []),
    ];
    return problems.length === 0
      ? null
      : { what: "This cannot be saved.", problems, todo: "Choose otherwise and save it again." };
  },
});
