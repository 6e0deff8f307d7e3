import { clipSpan } from "../session/clips";
import type { Session, Track } from "../session/document";
import { groupsAbove, membersOf } from "../session/routing";
import { isSum } from "../engine/wiring";
import { tempoMap } from "../time/tempo";
import type { Frames } from "../units";
import { shownName } from "../session/names";

/** Why a print has no sound in it, as far as the session tells. `track` and `group` are names. */
export type Silence =
  | { readonly why: "gone" | "parked" | "empty" | "nothing in range" | "clips muted" | "members muted" }
  | { readonly why: "muted" | "fader down" | "instrument off" | "devices" }
  | { readonly why: "group muted" | "group fader down"; readonly group: string };

/** A fader at or below this is at the bottom of its travel, in decibels. */
const BOTTOM_DB = -144;

/**
 * Why a track printed nothing but silence. `passed`: how far along its path it was tapped. `from`, `to`: the range that
 * was printed, in frames of the session.
 */
export function silenceOf(
  session: Session,
  id: string,
  {
    passed,
    from,
    to,
  }: { readonly passed: "devices" | "channel" | "group"; readonly from: Frames; readonly to: Frames },
): Silence {
  const track = session.tracks.find((t) => t.id === id);
  if (!track) return { why: "gone" };
  if (track.parked) return { why: "parked" };
  const tempo = tempoMap(session.tempo, session.rate);
  const sources = isSum(track) ? membersOf(session, track).filter((t) => !isSum(t)) : [track];
  const feeding = track.kind === "return" || track.kind === "mix" ? session.tracks : sources;
  const clips = feeding.flatMap((t) => t.clips);
  if (clips.length === 0) return { why: "empty" };
  const inRange = clips.filter((c) => {
    const span = clipSpan(c, tempo);
    return span.from < to && span.to > from;
  });
  if (inRange.length === 0) return { why: "nothing in range" };
  if (inRange.every((c) => c.muted)) return { why: "clips muted" };
  if (isSum(track) && feeding.filter((t) => t.clips.length > 0).every((t) => isShut(t) || t.parked))
    return { why: "members muted" };
  if (passed !== "devices") {
    if (isShut(track)) return { why: "muted" };
    if (isDown(track)) return { why: "fader down" };
  }
  if (passed === "group")
    for (const group of groupsAbove(session, track)) {
      if (isShut(group)) return { why: "group muted", group: shownName(group) };
      if (isDown(group)) return { why: "group fader down", group: shownName(group) };
    }
  return { why: track.kind === "instrument" && track.devices[0]?.on === false ? "instrument off" : "devices" };
}

const isShut = (track: Track): boolean => {
  const lane = track.automation.find((a) => a.target === "mute");
  return lane ? lane.points.every((p) => p.value >= 0.5) : track.mute;
};

const isDown = (track: Track): boolean => {
  const lane = track.automation.find((a) => a.target === "fader");
  return lane ? lane.points.every((p) => p.value <= BOTTOM_DB) : track.faderDb <= BOTTOM_DB;
};
