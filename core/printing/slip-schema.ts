import { z } from "zod";
import { PADS } from "../devices/kit";
import { automationSchema } from "../session/document";

const id = z.string().min(1).max(64);
const frames = z.int().min(0).max(1099511627776);
const padPlace = z.strictObject({
  track: id,
  device: id,
  pad: z
    .int()
    .min(0)
    .max(PADS - 1),
});

/** A print as it is asked for: every part of the sentence on the Bench. */
export const slipSchema = z.strictObject({
  tracks: z.array(id).min(1).max(1000),
  /** Of those tracks only these clips; null: all of them. */
  clips: z.array(id).max(20000).nullable().default(null),
  /**
   * `clips`: what is placed. `phrase`: one phrase, in place of which its print is put wherever it is placed. `pad`: the
   * layers of a kit's pad, made one.
   */
  of: z
    .discriminatedUnion("what", [
      z.strictObject({ what: z.literal("clips") }),
      z.strictObject({ what: z.literal("phrase"), phrase: id }),
      z.strictObject({
        what: z.literal("pad"),
        device: id,
        pad: z
          .int()
          .min(0)
          .max(PADS - 1),
        velocities: z.enum(["each", "one"]),
      }),
    ])
    .default({ what: "clips" }),
  /** `mix`: at the end of the mix; of a track: as it is heard through the mix's chain. */
  tap: z.enum(["clip", "devices", "channel", "group", "mix"]),
  /**
   * With the tap `devices`, of one track: not after all of them but in front of this one; it and what follows go on
   * living. With the tap `mix`, of the mix: in front of this device of its chain.
   */
  before: id.nullable().default(null),
  /** Dynamics on the way apply the gain that they find for the whole, so that prints of shares add up to it. */
  linked: z.boolean().default(false),
  /** What the sends produce is in the print; from `channel` on. */
  returns: z.boolean().default(false),
  /**
   * `out`: the values at the start are printed, and what moves them moves to the new track where it can; or only of the
   * controls that are named.
   */
  automation: z
    .union([z.enum(["in", "out"]), z.array(z.enum(["fader", "pan", "mute", "send", "param"])).max(5)])
    .default("in"),
  /** What was ridden in a live pass: it moves in this print in place of whatever automation there is of the same. */
  moves: z
    .array(z.strictObject({ track: id, lane: automationSchema }))
    .max(500)
    .default([]),
  /** `zero`: from the timeline's zero. `own`: from the first thing placed. `stretch`: as said. */
  range: z.discriminatedUnion("by", [
    z.strictObject({ by: z.literal("zero") }),
    z.strictObject({ by: z.literal("own") }),
    z.strictObject({ by: z.literal("stretch"), from: frames, to: frames }),
    z.strictObject({ by: z.literal("saved"), range: id }),
  ]),
  pieces: z.enum(["each clip", "each run", "one piece"]).default("one piece"),
  /** All tracks summed at the tap in one print, instead of one print each. */
  together: z.boolean().default(false),
  /** `measured`: until it is quiet; or so much of it to the frame, whether it has rung out or not. */
  tail: z
    .union([
      z.enum(["measured", "none"]),
      z.strictObject({ by: z.literal("beats"), length: z.number().positive().max(4096) }),
      z.strictObject({ by: z.literal("seconds"), length: z.number().positive().max(600) }),
    ])
    .default("measured"),
  /**
   * A stretch that shall be played round and round. `fold`: what rings over its end sounds at its beginning.
   * `crossfade`: its end fades into what came before its beginning.
   */
  seam: z
    .discriminatedUnion("by", [
      z.strictObject({ by: z.literal("none") }),
      z.strictObject({ by: z.literal("fold") }),
      z.strictObject({ by: z.literal("crossfade"), frames: frames.min(1) }),
    ])
    .default({ by: "none" }),
  /** In real time, through hardware that has been pinged. */
  pass: z.enum(["offline", "real time"]).default("offline"),
  channels: z.enum(["as the source", "stereo", "mono", "two mono"]).default("as the source"),
  /** Null: the session's. */
  rate: z
    .union([z.literal(44100), z.literal(48000), z.literal(88200), z.literal(96000)])
    .nullable()
    .default(null),
  depth: z.enum(["16", "24", "32f"]).default("32f"),
  /**
   * `{track}`, `{clip}`, `{phrase}`, `{tap}`, `{session}`, `{tempo}`, `{bar}`, `{date}` and `{number}` stand for what
   * they say. See `print-name.ts`.
   */
  name: z.string().max(160).default("{track} print"),
  placed: z.enum(["new track", "same track", "shelf", "pad"]).default("new track"),
  /** Where a print that is placed on a pad becomes a layer. */
  pad: padPlace.nullable().default(null),
  afterwards: z.enum(["keep live", "park", "park and hide", "replace"]).default("park"),
  /** The same again at other taps, in the same pass: they lie on the shelf. */
  also: z
    .array(
      z.strictObject({
        tap: z.enum(["clip", "devices", "channel", "group", "mix"]),
        before: id.nullable().default(null),
      }),
    )
    .max(8)
    .default([]),
});
