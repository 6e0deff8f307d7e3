import { freezeUntilItPlays } from "../../core/printing/relief";
import type { Session } from "../../core/session/document";
import type { Frames } from "../../core/units";
import { sortSelection } from "../session/selection";

/** A machine on which playing takes more than this of one core is about to stutter. */
const TOO_MUCH = 0.9;
/** What freezing brings it down to. */
const TARGET = 0.6;
/**
 * Below this, sound that is missing is missing because the machine is busy with something else: freezing would not
 * help.
 */
const NOT_OURS = 0.5;
/** Reports that are weighed together: two seconds of playing. What is compiled while it first plays counts less so. */
const WEIGHED = 4;
/** Sound that may be missing within a few seconds before it counts as a machine that does not keep up. */
const MISSED_S = 0.12;
const MISSED_WITHIN_MS = 3000;

/** Whether playing keeps up, judged by what is measured while it plays. */
export class KeepingUp {
  private reports: readonly Readonly<Record<string, number>>[] = [];
  private misses: { readonly atMs: number; readonly frames: Frames }[] = [];

  /** Playing begins anew. */
  begin(): void {
    this.misses = [];
    this.reports = [];
  }

  /** The load of each track, as a part of one core, over half a second. */
  report(loads: Readonly<Record<string, number>>): void {
    this.reports = [...this.reports, loads].slice(-WEIGHED);
  }

  missed(frames: Frames, atMs: number): void {
    this.misses.push({ atMs, frames });
  }

  /** The tracks to freeze so that it keeps up; none: it does, or freezing would not help. */
  relief(session: Session, nowMs: number): readonly string[] {
    if (this.reports.length < WEIGHED) return [];
    const loads: Record<string, number> = {};
    for (const report of this.reports)
      for (const [id, load] of Object.entries(report)) loads[id] = (loads[id] ?? 0) + load / this.reports.length;
    this.misses = this.misses.filter((m) => nowMs - m.atMs < MISSED_WITHIN_MS);
    const missed = this.misses.reduce((sum, m) => sum + m.frames, 0);
    const total = Object.values(loads).reduce((a, b) => a + b, 0);
    if (total < NOT_OURS || (total < TOO_MUCH && missed < MISSED_S * session.rate)) return [];
    const all = session.tracks.map((t) => t.id);
    const candidates = sortSelection(session, all).toFreeze.map((t) => t.id);
    // What is measured on a machine that stutters may be less than it takes.
    return freezeUntilItPlays(loads, candidates, Math.min(TARGET, total * 0.7));
  }
}
