import type { z } from "zod";
import type { Automation, Device, Frozen, Session, Track } from "../session/document";
import { wire } from "../engine/wiring";
import { groupsAbove } from "../session/routing";
import type { slipSchema } from "./slip-schema";

/** A print as it is asked for. */
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
