import { z } from "zod";
import type { Session } from "../session/document";

const id = z.string().min(1).max(64);
const frames = z.int().min(0).max(1099511627776);

/** A print as it is asked for: every part of the sentence on the Bench. */
export const slipSchema = z.strictObject({
  tracks: z.array(id).min(1).max(1000),
  /** Of those tracks only these clips; null: all of them. */
  clips: z.array(id).max(20000).nullable().default(null),
  tap: z.enum(["clip", "devices", "channel", "group", "mix"]),
  /** What the sends produce is in the print; from `channel` on. */
  returns: z.boolean().default(false),
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
  channels: z.enum(["as the source", "stereo", "mono"]).default("as the source"),
  depth: z.enum(["16", "24", "32f"]).default("32f"),
  /** `{track}` and `{tap}` stand for what they say. */
  name: z.string().max(160).default("{track} print"),
  placed: z.enum(["new track", "same track", "shelf"]).default("new track"),
  afterwards: z.enum(["keep live", "park", "replace"]).default("park"),
});

type Frozen<T> = T extends (infer U)[] ? readonly Frozen<U>[] : T extends object ? { readonly [K in keyof T]: Frozen<T[K]> } : T;
export type Slip = Frozen<z.infer<typeof slipSchema>>;
export type PrintTap = Slip["tap"];

/** The plainest print of some tracks: the whole of each, after its devices, the source parked. */
export const plainSlip = (tracks: readonly string[]): Slip => ({
  tracks, clips: null, tap: "devices", returns: false, range: { by: "zero" }, pieces: "one piece", together: false, tail: "measured", channels: "as the source", depth: "32f",
  name: "{track} print", placed: "new track", afterwards: "park",
});

/** A slip that fits a session's tracks of today: what cannot be meant any more is taken back to what can. */
export function fitted(slip: Slip, session: Session): Slip {
  const tracks = slip.tracks.filter((t) => session.tracks.some((s) => s.id === t));
  const chosen = session.tracks.filter((t) => tracks.includes(t.id));
  const sums = chosen.some((t) => t.kind === "group" || t.kind === "return");
  const mix = chosen.some((t) => t.kind === "mix");
  const notes = chosen.some((t) => t.kind === "instrument");
  const tap = mix ? "mix" : slip.tap === "mix" || (slip.tap === "clip" && (sums || notes)) ? "devices" : slip.tap;
  return {
    ...slip, tracks, tap,
    clips: sums || mix ? null : slip.clips,
    returns: slip.returns && (tap === "channel" || tap === "group"),
    pieces: sums || mix ? "one piece" : slip.pieces,
    together: slip.together && tracks.length > 1,
    tail: tap === "clip" ? "none" : slip.tail,
    placed: slip.placed === "same track" && tap !== "clip" ? "new track" : slip.placed,
    range: slip.range.by === "saved" && !session.ranges.some((r) => r.id === (slip.range.by === "saved" ? slip.range.range : "")) ? { by: "zero" } : slip.range,
  };
}
