export interface Identified {
  readonly id: string;
}

/** After so many records were looked for, it pays to know where each is. */
const FEW = 8;
/** Records that stand together: an edit of a long list moves so many, and looks past the others by the run. */
const RUN = 256;

/**
 * A list of records while one step works on it: copied once, and changed in place from then on. It is kept in runs, so
 * that an edit costs about the square root of the list's length, wherever in the list it is.
 */
export class WorkingList {
  private readonly runs: Identified[][] = [];
  private count: number;
  private sought = 0;
  /** The run that each id stands in; null: not known yet. */
  private homes: Map<string, Identified[]> | null = null;
  /** Ids that were there twice at some time: the first of them is meant, and is looked for from the beginning. */
  private readonly doubles = new Set<string>();

  constructor(items: readonly Identified[]) {
    this.count = items.length;
    for (let from = 0; from === 0 || from < items.length; from += RUN) this.runs.push(items.slice(from, from + RUN));
  }

  get length(): number {
    return this.count;
  }

  /** Place of the first record with an id; -1: there is none. */
  find(id: string): number {
    if (!this.homes && ++this.sought > FEW) this.homes = this.index();
    if (!this.homes || this.doubles.has(id)) return this.firstWith(id);
    const home = this.homes.get(id);
    return home ? this.beginOf(home) + home.findIndex((item) => item.id === id) : -1;
  }

  at(place: number): Identified | undefined {
    if (place < 0 || place >= this.count) return undefined;
    const { run, offset } = this.locate(place);
    return run[offset];
  }

  /** Puts a record in the place of one with the same id. */
  replace(place: number, item: Identified): void {
    const { run, offset } = this.locate(place);
    run[offset] = item;
  }

  /** Puts a record before the one at a place, or behind the last. */
  insert(place: number, item: Identified): void {
    if (this.homes?.has(item.id)) this.doubles.add(item.id);
    this.put(place, item);
  }

  remove(place: number): void {
    const item = this.take(place);
    if (!this.doubles.has(item.id)) this.homes?.delete(item.id);
  }

  /** Takes a record out and puts it in again where `to` is then. */
  move(from: number, to: number): void {
    this.put(to, this.take(from));
  }

  /** What the list is now. Nothing more is done to it. */
  done(): readonly Identified[] {
    return this.runs.flat();
  }

  private put(place: number, item: Identified): void {
    const { run, offset, nth } = this.locate(place);
    run.splice(offset, 0, item);
    this.count++;
    this.homes?.set(item.id, run);
    if (run.length <= 2 * RUN) return;
    const second = run.splice(RUN);
    this.runs.splice(nth + 1, 0, second);
    if (this.homes) for (const { id } of second) this.homes.set(id, second);
  }

  private take(place: number): Identified {
    const { run, offset, nth } = this.locate(place);
    const [item] = run.splice(offset, 1);
    if (!item) throw new RangeError(`there is no record at ${place}`);
    this.count--;
    if (run.length === 0 && this.runs.length > 1) this.runs.splice(nth, 1);
    return item;
  }

  /** The run that a place is in, which is the last one for the place behind the last record. */
  private locate(place: number): { readonly run: Identified[]; readonly offset: number; readonly nth: number } {
    const last = this.runs.length - 1;
    let [begin, nth] = [0, 0];
    for (const run of this.runs) {
      if (place < begin + run.length || nth === last) return { run, offset: place - begin, nth };
      begin += run.length;
      nth++;
    }
    throw new RangeError(`there is no place ${place}`);
  }

  private beginOf(home: readonly Identified[]): number {
    let begin = 0;
    for (const run of this.runs) {
      if (run === home) return begin;
      begin += run.length;
    }
    throw new RangeError("a record stands in no run");
  }

  private firstWith(id: string): number {
    let begin = 0;
    for (const run of this.runs) {
      const offset = run.findIndex((item) => item.id === id);
      if (offset >= 0) return begin + offset;
      begin += run.length;
    }
    return -1;
  }

  private index(): Map<string, Identified[]> {
    const homes = new Map<string, Identified[]>();
    for (const run of this.runs)
      for (const { id } of run) {
        if (homes.has(id)) this.doubles.add(id);
        homes.set(id, run);
      }
    return homes;
  }
}
