import type { Session } from "../../core/session/document";
import { sortSelection } from "../session/selection";

/** A verb at the foot of the Bench: an action by its id, its short name, and what it will do. */
export interface Verb {
  readonly id: string;
  readonly label: string;
  readonly about: string;
}

const BOUNCE_MIX: Verb = {
  id: "print-mix",
  label: "Bounce the mix",
  about: "one file on the shelf, through the mix chain",
};
const SESSION_VERBS: readonly Verb[] = [
  BOUNCE_MIX,
  { id: "go-Stems", label: "Export stems", about: "aligned, named files of tracks and groups" },
  { id: "go-Handoff", label: "Deliver", about: "a package or a private link for a receiver" },
];

const BOUNCE: Verb = { id: "bounce", label: "Bounce", about: "with fader and pan, on a new track" };
const CONSOLIDATE: Verb = { id: "consolidate", label: "Consolidate", about: "clips become one file in place" };
const PRINT: Verb = { id: "slip", label: "Print…", about: "choose tap, range, name and place" };
const FREEZE: Verb = { id: "freeze", label: "Freeze", about: "reversible: plays its print, load falls" };
const UNFREEZE: Verb = { id: "unfreeze", label: "Unfreeze", about: "the live source plays again" };
const UNPARK: Verb = { id: "unpark", label: "Unpark", about: "the source plays again" };
const COMMIT: Verb = { id: "commit", label: "Commit", about: "an audio track, its source parked" };

/** What can be done with what is selected, the most likely first; with nothing selected, what the session offers. */
export function verbsOf(session: Session, selected: readonly string[]): readonly Verb[] {
  const { tracks, toFreeze, frozen, fresh, parked } = sortSelection(session, selected);
  const [first] = tracks;
  if (!first) return SESSION_VERBS;
  if (parked.length === tracks.length) return [UNPARK];
  if (tracks.every((t) => t.kind !== "audio" && t.kind !== "instrument"))
    return [tracks.length === 1 && first.kind === "mix" ? BOUNCE_MIX : BOUNCE, PRINT];
  const isFrozen = fresh.length > 0 && toFreeze.length === 0;
  const freezing = isFrozen ? [COMMIT, UNFREEZE] : frozen.length > 0 ? [FREEZE, COMMIT, UNFREEZE] : [FREEZE, COMMIT];
  return [...freezing, CONSOLIDATE, BOUNCE, PRINT];
}
