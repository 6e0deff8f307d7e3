import type { MidiEvent, MidiTrack } from "./events";

type Setting = Extract<
  MidiEvent,
  { readonly kind: "program" | "bank" | "controller" | "bend" | "bend range" | "pedal" }
>;
const KINDS: ReadonlySet<string> = new Set(["program", "bank", "controller", "bend", "bend range", "pedal"]);
const isSetting = (event: MidiEvent): event is Setting => KINDS.has(event.kind);
/** More events than this are not copied to the tracks that could have them. */
const MOST_COPIED = 1_000_000;

/**
 * The tracks of a file of format 1 share its channels. What a track without notes on a channel sets of it goes to the
 * tracks that have notes on it and set nothing of it themselves.
 */
export function withSharedSettings(tracks: readonly MidiTrack[]): readonly MidiTrack[] {
  const played = tracks.map(({ events }) => channelsOf(events, (e) => e.kind === "note on"));
  const set = tracks.map(({ events }) => channelsOf(events, isSetting));
  const lent = new Map<number, Setting[]>();
  tracks.forEach(({ events }, t) => {
    for (const event of events) {
      if (!isSetting(event) || played[t]?.has(event.channel)) continue;
      const list = lent.get(event.channel) ?? [];
      lent.set(event.channel, list);
      list.push(event);
    }
  });
  const borrowers = (channel: number) =>
    tracks.flatMap((_, t) => (played[t]?.has(channel) && !set[t]?.has(channel) ? [t] : []));
  const shared = new Map(
    [...lent].flatMap(([channel, events]) => {
      const to = borrowers(channel);
      return to.length > 0 && to.length * events.length <= MOST_COPIED
        ? [[channel, { to: new Set(to), events }] as const]
        : [];
    }),
  );
  if (shared.size === 0) return tracks;
  return tracks.map((track, t) => {
    const own = track.events.filter((e) => !isSetting(e) || played[t]?.has(e.channel) || !shared.has(e.channel));
    const borrowed = [...shared.values()].flatMap(({ to, events }) => (to.has(t) ? events : []));
    // What is set comes before what is struck at the same tick.
    return { ...track, events: [...borrowed, ...own].sort((a, b) => a.tick - b.tick) };
  });
}

function channelsOf(events: readonly MidiEvent[], wanted: (event: MidiEvent) => boolean): ReadonlySet<number> {
  const channels = new Set<number>();
  for (const event of events) if ("channel" in event && wanted(event)) channels.add(event.channel);
  return channels;
}
