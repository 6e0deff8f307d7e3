import { z } from "zod";
import { automationSchema } from "../session/document";
import type { Automation, Device, Frozen, Session, Track } from "../session/document";
import { PADS } from "../devices/kit";
import { wire } from "../engine/wiring";
import { groupsAbove } from "../session/routing";

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

export type Slip = Frozen<z.infer<typeof slipSchema>>;
export type PrintTap = Slip["tap"];

/** The plainest print of some tracks: the whole of each, after its devices, the source parked. */
export const plainSlip = (tracks: readonly string[]): Slip => ({
  tracks,
  clips: null,
  of: { what: "clips" },
  tap: "devices",
  before: null,
  linked: false,
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
  also: [],
});

/** Whether automation of a kind of control is left out of a print. */
export const leavesOut = ({ automation }: Slip, target: Automation["target"]): boolean =>
  automation === "out" || (automation !== "in" && automation.includes(target));

/** The devices of a track that are in a print, and those that go on living behind its tap. */
export function parted(
  track: Track,
  { tap, before }: Pick<Slip, "tap" | "before">,
): {
  readonly baked: readonly Device[];
  readonly live: readonly Device[];
} {
  if (tap === "clip") return { baked: [], live: track.devices };
  const at = before === null ? -1 : track.devices.findIndex((d) => d.id === before);
  return at < 0
    ? { baked: track.devices, live: [] }
    : { baked: track.devices.slice(0, at), live: track.devices.slice(at) };
}

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
  const tap = tapFor(slip.tap, { mix, sums: sums || notes });
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
    before: beforeOf(slip.before, tap, chosen),
    linked: slip.linked && !mix && (tap === "group" || tap === "mix"),
    pad,
    clips: sums || mix ? null : slip.clips,
    returns: slip.returns && !mix && (tap === "channel" || tap === "group" || tap === "mix"),
    moves: slip.moves.length === 0 ? slip.moves : riddenIn(session, { ...slip, tracks, tap }),
    pieces: sums || mix || together ? "one piece" : slip.pieces,
    together,
    tail: tap === "clip" ? "none" : slip.tail,
    seam: whole ? { by: "none" } : slip.seam,
    // Files of another rate, or two for one sound, lie on the shelf: a track plays one file at the session's rate.
    rate: away ? slip.rate : null,
    channels: slip.channels === "two mono" && !away ? "as the source" : slip.channels,
    afterwards: tap === "mix" && !mix ? "keep live" : slip.afterwards,
    placed:
      (slip.placed === "same track" && tap !== "clip") || (slip.placed === "pad" && !pad) ? "new track" : slip.placed,
    range: beside ? { by: "own" } : gone ? { by: "zero" } : range,
    also: slip.also.flatMap((one) => {
      const at = tapFor(one.tap, { mix, sums: sums || notes });
      return at === one.tap ? [{ tap: at, before: beforeOf(one.before, at, chosen) }] : [];
    }),
  };
}

/** Where several tracks are summed in one print so that their faders and pans are in it, and with them the balance. */
export function balancedTap(session: Session, tracks: readonly Track[]): { readonly tap: "channel" | "group" } {
  const outermost = tracks.filter((t) => !groupsAbove(session, t).some((g) => tracks.includes(g)));
  return { tap: new Set(outermost.map((t) => t.output)).size > 1 ? "group" : "channel" };
}

/** The tap that is meant where what was chosen has no such one. */
const tapFor = (tap: PrintTap, { mix, sums }: { readonly mix: boolean; readonly sums: boolean }): PrintTap =>
  mix ? "mix" : tap === "clip" && sums ? "devices" : tap;

/** A device that a tap can stand in front of, or null. Before an instrument there is nothing to hear. */
function beforeOf(before: string | null, tap: PrintTap, chosen: readonly Track[]): string | null {
  const [track] = chosen;
  if (chosen.length !== 1 || !track || (tap !== "devices" && (tap !== "mix" || track.kind !== "mix"))) return null;
  const at = track.devices.findIndex((d) => d.id === before);
  return at > 0 || (at === 0 && track.kind !== "instrument" && track.kind !== "audio") ? before : null;
}

/** Of what was ridden, what is on its way into a print: on its tracks, and what runs into them or lies behind them. */
function riddenIn(session: Session, slip: Pick<Slip, "tracks" | "tap" | "returns" | "moves">): Slip["moves"] {
  const sources = slip.tracks;
  const heard = new Set(
    wire(session, [{ kind: "path", sources, at: slip.tap, returns: slip.returns, linked: false }], sources).paths.map(
      (p) => p.track.id,
    ),
  );
  return slip.moves.filter((m) => heard.has(m.track));
}
