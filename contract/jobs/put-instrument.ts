import { z } from "zod";
import { lostOfInstrumentSchema } from "../instruments";
import { jobKind, madeSchema } from "./kind";

/** Puts presets of a file of instruments on tracks, with the recordings that they play, in one step. */
export const putInstrument = jobKind({
  request: {
    file: z.string().regex(/^[0-9a-f]{64}$/, "a file is 64 hexadecimal digits"),
    puts: z
      .array(
        z.strictObject({
          /** Its place in the file. */
          preset: z.int().min(0),
          /** An instrument track whose instrument it replaces; null: a new one. */
          track: z.string().nullable().default(null),
        }),
      )
      .min(1)
      .max(500),
    /** How much of what its zones are attenuated by counts: 1, as specified, or 0.4, as some hardware did. */
    attenuation: z.union([z.literal(1), z.literal(0.4)]).default(1),
  },
  result: {
    made: madeSchema,
    /** Names of what was put, and the tracks that play it. */
    put: z.array(z.strictObject({ name: z.string(), track: z.string() })),
    samples: z.int(),
    lost: z.array(lostOfInstrumentSchema),
  },
  priority: 0,
  impossible(session, { puts }) {
    for (const { track } of puts) {
      const found = session.tracks.find((t) => t.id === track);
      if (track === null || (found?.kind === "instrument" && !found.frozen && !found.parked)) continue;
      return {
        what: `${found ? `"${found.name}"` : "That track"} cannot take an instrument.`,
        problems: [],
        todo: found?.frozen ? "Unfreeze it first." : "Choose an instrument track, or place it on a new one.",
      };
    }
    return null;
  },
});
