import type { Session, Track } from "./document";
import type { OfTrack } from "./collections";
import type { CollectionName } from "./records";
import { OF_TRACK } from "./collections";
import type { Identified } from "./working-list";
import { WorkingList } from "./working-list";

/**
 * A session while one step works on it. What is not touched stays the same objects; a list that is touched is copied
 * once, however many edits the step has.
 */
export class Draft {
  private readonly lists = new Map<Exclude<CollectionName, OfTrack>, WorkingList>();
  private readonly ofTracks = new Map<string, Map<OfTrack, WorkingList>>();

  constructor(private base: Session) {}

  /** The session but for its lists of records, which may be others by now. */
  get fields(): Session {
    return this.base;
  }

  set fields(session: Session) {
    this.base = session;
  }

  /** A list to be worked on; null where there is no such track. Tracks are without what their own lists hold now. */
  list(name: CollectionName, track: string | undefined): WorkingList | null {
    if (isOfSession(name)) {
      const known = this.lists.get(name);
      if (known) return known;
      const list = new WorkingList(name === "rows" ? this.base.sheet.rows : this.base[name]);
      this.lists.set(name, list);
      return list;
    }
    const own = track === undefined ? null : this.track(track);
    if (!own) return null;
    const ofTrack = this.ofTracks.get(own.id) ?? new Map<OfTrack, WorkingList>();
    this.ofTracks.set(own.id, ofTrack);
    const known = ofTrack.get(name);
    if (known) return known;
    const list = new WorkingList(own[name]);
    ofTrack.set(name, list);
    return list;
  }

  /** Gives a track what its lists hold now, before it is looked at as a whole. */
  gather(track: string): void {
    const own = this.ofTracks.get(track);
    const tracks = own && this.list("tracks", undefined);
    const place = tracks?.find(track) ?? -1;
    const item = tracks?.at(place);
    if (!own || !tracks || !item) return;
    tracks.replace(place, withLists(item, own));
    this.ofTracks.delete(track);
  }

  session(): Session {
    for (const track of [...this.ofTracks.keys()]) this.gather(track);
    const { base } = this;
    const made: Record<string, unknown> = {};
    for (const [name, list] of this.lists)
      if (name === "rows") made["sheet"] = { ...base.sheet, rows: list.done() };
      else made[name] = list.done();
    return { ...base, ...made };
  }

  private track(id: string): Track | null {
    const list = this.lists.get("tracks");
    if (!list) return this.base.tracks.find((t) => t.id === id) ?? null;
    return (list.at(list.find(id)) as Track | undefined) ?? null;
  }
}

const isOfSession = (name: CollectionName): name is Exclude<CollectionName, OfTrack> =>
  !(OF_TRACK as readonly CollectionName[]).includes(name);

const withLists = (track: Identified, lists: ReadonlyMap<OfTrack, WorkingList>): Identified => ({
  ...track,
  ...Object.fromEntries([...lists].map(([name, list]) => [name, list.done()])),
});
