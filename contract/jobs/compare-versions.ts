import { z } from "zod";
import { jobKind } from "./kind";

const differing = {
  /** Null: nothing differs. */
  peakDb: z.number().nullable(),
  /** Seconds from the session's first frame. */
  spans: z.array(z.strictObject({ fromS: z.number(), toS: z.number() })),
};

/** Renders a session as it was at two points of its history, and tells track by track where it sounds different. */
export const compareVersions = jobKind({
  request: { earlier: z.int().min(0), later: z.int().min(0) },
  result: {
    earlier: z.int(),
    later: z.int(),
    /** Names of tracks that sound at one point only. */
    added: z.array(z.string()),
    removed: z.array(z.string()),
    /** How many tracks sound as they did. */
    same: z.int(),
    /** Each after its fader, the loudest difference first; groups and returns with what runs into them. */
    changed: z.array(z.strictObject({ track: z.string(), name: z.string(), ...differing })),
    /** After its chain. */
    mix: z.strictObject(differing),
    /** How long both are, in seconds. */
    lengthS: z.number(),
  },
  priority: 1,
});
