import type { Session, Track } from "./document";
import type { CollectionName, OfTrack } from "./records";
import { OF_TRACK } from "./records";

export interface Identified {
  readonly id: string;
}

/** After so many records were looked for, it pays to know where each is. */
const FEW = 8;

/** A list of records while one step works on it: copied once, and changed in place from then on. */
export class WorkingList {
  private readonly items: Identified[];
  private sought = 0;
  /** Every record by its id; null: not known yet, or an id is there twice, and the first of them is meant. */
  private byId: Map<string, Identified> | null = null;
  private isAmbiguous = false;
  /** Where a record was when it was looked for last, or next to it. */
  private readonly places = new Map<string, number>();

  constructor(items: readonly Identified[]) {
    this.items = [...items];
  }

  get length(): number {
    return this.items.length;
  }

  /** Place of the first record with an id; -1: there is none. */
  find(id: string): number {
    if (!this.byId && !this.isAmbiguous && ++this.sought > FEW) this.index();
    if (!this.byId) return this.items.findIndex((item) => item.id === id);
    const item = this.byId.get(id);
    if (!item) return -1;
    const known = this.places.get(id) ?? -1;
    const place = this.items[known] === item ? known : this.items.indexOf(item);
    this.places.set(id, place);
    return place;
  }

  at(place: number): Identified | undefined {
    return this.items[place];
  }

  /** Puts a record in the place of one with the same id. */
  replace(place: number, item: Identified): void {
    this.items[place] = item;
    this.byId?.set(item.id, item);
  }

  insert(place: number, item: Identified): void {
    this.items.splice(place, 0, item);
    if (this.byId?.has(item.id)) {
      this.byId = null;
      this.isAmbiguous = true;
    }
    this.byId?.set(item.id, item);
    this.places.set(item.id, place);
  }

  remove(place: number): void {
    const [item] = this.items.splice(place, 1);
    if (item) this.byId?.delete(item.id);
  }

  move(from: number, to: number): void {
    const [item] = this.items.splice(from, 1);
    if (!item) return;
    this.items.splice(to, 0, item);
    this.places.set(item.id, to);
  }

  /** What the list is now. Nothing more is done to it. */
  done(): readonly Identified[] {
    return this.items;
  }

  private index(): void {
    this.byId = new Map(this.items.map((item) => [item.id, item]));
    this.items.forEach((item, place) => this.places.set(item.id, place));
    this.isAmbiguous = this.byId.size < this.items.length;
    if (this.isAmbiguous) this.byId = null;
  }
}

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
