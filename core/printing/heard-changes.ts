import type { Tap } from "../engine/tap";
import { MIX_AFTER } from "../engine/tap";
import type { Session, Track } from "../session/document";
import { fingerprints } from "./fingerprint";
import { shownName } from "../session/names";

/** Which tracks of a session may sound otherwise than they did, by all that can change their sound. */
export interface HeardChanges {
  /** Names of tracks that sound in one of both only. */
  readonly added: readonly string[];
  readonly removed: readonly string[];
  readonly same: number;
  readonly changed: readonly { readonly id: string; readonly name: string }[];
  readonly mix: boolean;
}

/** Where a track is listened to: after its fader; a group or a return with what runs into it. */
export const versionTap = (track: string): Tap => ({
  kind: "path",
  sources: [track],
  at: "channel",
  returns: false,
  linked: false,
});

export function heardChanges(before: Session, after: Session): HeardChanges {
  const sounding = ({ tracks }: Session) => new Map(tracks.filter(isHeard).map((t) => [t.id, t]));
  const [was, is] = [sounding(before), sounding(after)];
  const both = [...is.keys()].filter((id) => was.has(id));
  const of = (session: Session) => fingerprints(session, [...both.map(versionTap), MIX_AFTER]);
  const [old, now] = [of(before), of(after)];
  const differs = (i: number) => old[i] !== now[i];
  const changed = both.filter((_, i) => differs(i));
  const missingIn = (one: ReadonlyMap<string, Track>, other: ReadonlyMap<string, Track>) =>
    [...one.values()].filter((t) => !other.has(t.id)).map((t) => shownName(t));
  return {
    added: missingIn(is, was),
    removed: missingIn(was, is),
    same: both.length - changed.length,
    changed: changed.map((id) => ({ id, name: shownName(is.get(id)) })),
    mix: differs(both.length),
  };
}

const isHeard = (track: Track): boolean => track.kind !== "mix" && !track.parked;
