import { byId } from "../by-id";
import type { Send, Session, Track } from "./document";
import { shownName } from "./names";

/**
 * The one place that knows which way sound goes between tracks: what runs into what, what is sent where, what steers
 * whom. All code that walks a session asks here.
 */

/** Every arrow between tracks, by the track it points at; of parked tracks, too. */
interface Arrows {
  readonly order: ReadonlyMap<string, number>;
  readonly routed: ReadonlyMap<string, readonly Track[]>;
  readonly sent: ReadonlyMap<string, readonly { readonly track: Track; readonly send: Send }[]>;
  /** By the track that steers: those with a device that it is the key of. */
  readonly keyed: ReadonlyMap<string, readonly Track[]>;
}

const known = new WeakMap<Session["tracks"], Arrows>();

function arrowsOf({ tracks }: Session): Arrows {
  const found = known.get(tracks);
  if (found) return found;
  const gather = <T>(pairs: readonly (readonly [to: string, what: T])[]) => {
    const lists = new Map<string, T[]>();
    for (const [to, what] of pairs) {
      const list = lists.get(to);
      if (list) list.push(what);
      else lists.set(to, [what]);
    }
    return lists;
  };
  const made: Arrows = {
    order: new Map(tracks.map((t, i) => [t.id, i])),
    routed: gather(tracks.flatMap((t) => (t.output === null ? [] : [[t.output, t] as const]))),
    sent: gather(tracks.flatMap((track) => track.sends.map((send) => [send.to, { track, send }] as const))),
    keyed: gather(
      tracks.flatMap((t) =>
        [...new Set(t.devices.flatMap((d) => (d.key === null ? [] : [d.key])))].map((key) => [key, t] as const),
      ),
    ),
  };
  known.set(tracks, made);
  return made;
}

const NONE: readonly never[] = [];

/** Tracks whose output is a track, in order. */
export const routedInto = (session: Session, id: string): readonly Track[] => arrowsOf(session).routed.get(id) ?? NONE;

/** Sends that lead to a track, in order. */
export const sentInto = (session: Session, id: string): readonly { readonly track: Track; readonly send: Send }[] =>
  arrowsOf(session).sent.get(id) ?? NONE;

/** Tracks with a device that a track steers, in order. */
export const keyedBy = (session: Session, id: string): readonly Track[] => arrowsOf(session).keyed.get(id) ?? NONE;

/** Tracks whose sound is summed in front of a track: what is routed or sent to it, each once, in order. */
export function summedIn(session: Session, id: string): readonly Track[] {
  const { order } = arrowsOf(session);
  const sent = sentInto(session, id);
  if (sent.length === 0) return routedInto(session, id);
  const all = new Set([...routedInto(session, id), ...sent.map((s) => s.track)]);
  return [...all].sort((a, b) => (order.get(a.id) ?? 0) - (order.get(b.id) ?? 0));
}

/** Tracks whose signal a track needs before it can sound: what is summed in it, and the keys of its devices. */
export function feeds(session: Session, track: Track): readonly Track[] {
  const keys = track.frozen ? [] : track.devices.flatMap((d) => (d.key === null ? [] : [d.key]));
  if (keys.length === 0) return summedIn(session, track.id);
  return [...new Set([...summedIn(session, track.id), ...keys.flatMap((k) => byId(session.tracks).get(k) ?? [])])];
}

/** Where a track's sound goes on its way, the nearest first; the mix comes last. */
export function onward(session: Session, track: Track): readonly Track[] {
  const way: Track[] = [];
  for (let id = track.output; id !== null; id = way.at(-1)?.output ?? null) way.push(trackOf(session, id));
  return way;
}

/** Groups that a track's sound passes on its way to the mix, the nearest first. */
export const groupsAbove = (session: Session, track: Track): readonly Track[] =>
  onward(session, track).filter((t) => t.kind !== "mix");

/** Whether a track's sound runs through one of some others. */
export function isInside(session: Session, track: Track, ids: ReadonlySet<string>): boolean {
  for (let id = track.output; id !== null; id = trackOf(session, id).output) if (ids.has(id)) return true;
  return false;
}

/** Tracks whose sound runs into a track, also through groups; what runs into one that is not `open` is not there. */
export function within(session: Session, id: string, open: (track: Track) => boolean = () => true): readonly Track[] {
  return routedInto(session, id)
    .filter(open)
    .flatMap((t) => [t, ...within(session, t.id, open)]);
}

/** Tracks and groups whose sound runs into a group: those that rest, and what runs into them, are not there. */
export const membersOf = (session: Session, group: Track): readonly Track[] =>
  within(session, group.id, (t) => !t.parked);

/** Returns that tracks send to, also through other returns; `sends` says which sends of a track lead anywhere. */
export function sentOn(
  session: Session,
  tracks: readonly Track[],
  sends: (track: Track) => readonly Send[],
  open: (track: Track) => boolean = () => true,
): readonly Track[] {
  const found = new Map<string, Track>();
  const follow = (track: Track) => {
    for (const { to } of sends(track)) {
      const next = trackOf(session, to);
      if (found.has(to) || !open(next)) continue;
      found.set(to, next);
      follow(next);
    }
  };
  tracks.forEach(follow);
  return [...found.values()];
}

/** The names along a circle in the routing, first one repeated at the end; or null. */
export function findCycle(session: Session): readonly string[] | null {
  const done = new Set<string>();
  const path: Track[] = [];
  const visit = (track: Track): readonly string[] | null => {
    const from = path.indexOf(track);
    if (from >= 0) return [...path.slice(from), track].map((t) => shownName(t)).reverse();
    if (done.has(track.id)) return null;
    path.push(track);
    for (const feed of feeds(session, track)) {
      const cycle = visit(feed);
      if (cycle) return cycle;
    }
    path.pop();
    done.add(track.id);
    return null;
  };
  for (const track of session.tracks) {
    const cycle = visit(track);
    if (cycle) return cycle;
  }
  return null;
}

export const mixOf = (session: Session): Track => {
  const mix = session.tracks.find((t) => t.kind === "mix");
  if (!mix) throw new RangeError("a session has exactly one mix");
  return mix;
};

/** The track with an id; a checked session never asks for one that is missing. */
export const trackOf = (session: Session, id: string): Track => {
  const track = byId(session.tracks).get(id);
  if (!track) throw new RangeError(`there is no track "${id}"`);
  return track;
};
