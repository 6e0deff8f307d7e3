/** What can become of a part of a session on its way into a file or out of one. */
export type Fate = "kept" | "printed to audio" | "approximated" | "left out";

/** The parts of a session that are told apart. */
export type Part =
  | "clips"
  | "clip gain"
  | "fades"
  | "curved fades"
  | "crossfades"
  | "layered clips"
  | "muted clips"
  | "cut fades"
  | "stretched clips"
  | "reversed clips"
  | "clip effects"
  | "nests"
  | "channels of clips"
  | "notes"
  | "looped phrases"
  | "instruments"
  | "devices"
  | "faders"
  | "pans"
  | "mutes"
  | "muted tracks"
  | "parked tracks"
  | "automation"
  | "device automation"
  | "sends"
  | "returns"
  | "groups"
  | "the mix's chain"
  | "the mix's fader"
  | "tempo"
  | "tempo ramps"
  | "meter"
  | "markers"
  | "ranges"
  | "takes"
  | "freezes"
  | "the stem sheet"
  | "places between frames"
  | "places between ticks"
  | "solos"
  | "note expressions"
  | "controllers"
  | "colours and comments"
  | "what it holds beside sound"
  | "speed changes"
  | "missing media"
  | "levels above full scale"
  | "names";

/** One line of a loss report: so many of a part, on a track, and what became of them. */
export interface Loss {
  readonly part: Part;
  readonly fate: Fate;
  /** The track's name; empty: the session's own. */
  readonly where: string;
  readonly count: number;
  /** What only the format or the file knows of it. */
  readonly detail: string;
}

/** Gathers losses; what is told again of the same part at the same place is counted. */
export class Losses {
  private readonly found = new Map<string, Loss>();

  add(part: Part, fate: Fate, where = "", count = 1, detail = ""): void {
    if (count === 0) return;
    const key = JSON.stringify([part, fate, where, detail]);
    const before = this.found.get(key);
    this.found.set(key, { part, fate, where, detail, count: (before?.count ?? 0) + count });
  }

  addAll(losses: readonly Loss[]): void {
    for (const { part, fate, where, count, detail } of losses) this.add(part, fate, where, count, detail);
  }

  get list(): readonly Loss[] {
    return [...this.found.values()];
  }
}
