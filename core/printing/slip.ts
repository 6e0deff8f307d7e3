import { z } from "zod";
import { automationSchema } from "../session/document";
import type { Frozen, Session, Track } from "../session/document";
import { PADS } from "../devices/kit";

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
  tap: z.enum(["clip", "devices", "channel", "group", "mix"]),
  /** What the sends produce is in the print; from `channel` on. */
  returns: z.boolean().default(false),
  /** `out`: the values at the start are printed, and what moves them moves to the new track where it can. */
  automation: z.enum(["in", "out"]).default("in"),
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
  tail: z.enum(["measured", "none"]).default("measured"),
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
  /** `{track}` and `{tap}` stand for what they say. */
  name: z.string().max(160).default("{track} print"),
  placed: z.enum(["new track", "same track", "shelf", "pad"]).default("new track"),
  /** Where a print that is placed on a pad becomes a layer. */
  pad: padPlace.nullable().default(null),
  afterwards: z.enum(["keep live", "park", "park and hide", "replace"]).default("park"),
});

export type Slip = Frozen<z.infer<typeof slipSchema>>;
export type PrintTap = Slip["tap"];

/** The plainest print of some tracks: the whole of each, after its devices, the source parked. */
export const plainSlip = (tracks: readonly string[]): Slip => ({
  tracks,
  clips: null,
  of: { what: "clips" },
  tap: "devices",
  returns: false,
  automation: "in",
  moves: [],
  range: { by: "zero" },
  pieces: "one piece",
  together: false,
  tail: "measured",
  seam: { by: "none" },
  pass: "offline",
  channels: "as the source",
  rate: null,
  depth: "32f",
  name: "{track} print",
  placed: "new track",
  pad: null,
  afterwards: "park",
});

/** Only a part of a source is printed, so that the rest of it still has to sound. */
export const isPart = ({ range, clips }: Slip, source: Track): boolean =>
  range.by === "stretch" || range.by === "saved" || (clips !== null && source.clips.some((c) => !clips.includes(c.id)));

/** A slip that fits a session's tracks of today: what cannot be meant any more is taken back to what can. */
export function fitted(slip: Slip, session: Session): Slip {
  const tracks = slip.tracks.filter((t) => session.tracks.some((s) => s.id === t));
  const chosen = session.tracks.filter((t) => tracks.includes(t.id));
  const sums = chosen.some((t) => t.kind === "group" || t.kind === "return");
  const mix = chosen.some((t) => t.kind === "mix");
  const notes = chosen.some((t) => t.kind === "instrument");
  const tap = mix ? "mix" : slip.tap === "mix" || (slip.tap === "clip" && (sums || notes)) ? "devices" : slip.tap;
  const { range } = slip;
  const gone = range.by === "saved" && !session.ranges.some((r) => r.id === range.range);
  const whole = gone || range.by === "zero" || range.by === "own";
  const pad =
    slip.pad && session.tracks.some((t) => t.id === slip.pad?.track && t.devices.some((d) => d.id === slip.pad?.device))
      ? slip.pad
      : null;
  const together = slip.together && tracks.length > 1;
  // Beside clips that stay, a print that began at the timeline's zero would lie over them.
  const beside = slip.placed === "same track" && tap === "clip" && slip.clips !== null && range.by === "zero";
  const away = slip.placed === "shelf" || slip.placed === "pad";
  return {
    ...slip,
    tracks,
    tap,
    pad,
    clips: sums || mix ? null : slip.clips,
    returns: slip.returns && (tap === "channel" || tap === "group"),
    moves: slip.moves.filter((m) => tracks.includes(m.track)),
    pieces: sums || mix || together ? "one piece" : slip.pieces,
    together,
    tail: tap === "clip" ? "none" : slip.tail,
    seam: whole ? { by: "none" } : slip.seam,
    // Files of another rate, or two for one sound, lie on the shelf: a track plays one file at the session's rate.
    rate: away ? slip.rate : null,
    channels: slip.channels === "two mono" && !away ? "as the source" : slip.channels,
    placed:
      (slip.placed === "same track" && tap !== "clip") || (slip.placed === "pad" && !pad) ? "new track" : slip.placed,
    range: beside ? { by: "own" } : gone ? { by: "zero" } : range,
  };
}
