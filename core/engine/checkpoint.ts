import type { ArenaState } from "../kernels/arena";
import type { Frames } from "../units";
import type { Graph } from "./graph";
import { IN_CLIP } from "./graph";

/** Everything that a render remembers at one place: with it, another goes on from there to the same samples. */
export interface Checkpoint {
  /** Frames that have gone through the graph. */
  readonly clock: Frames;
  /** Frames of a block; arrays are as long as one. */
  readonly block: Frames;
  readonly state: ArenaState;
}

export const checkpointOf = (graph: Graph, clock: Frames, block: Frames): Checkpoint => ({
  ...{ clock, block },
  state: graph.arena.save(),
});

/**
 * Brings a graph that has not run yet to where another was; the session may differ from that one's in what comes later.
 * Returns false, and leaves it as it is, where they are not built alike.
 */
export function resume(graph: Graph, { state }: Checkpoint): boolean {
  const { arena } = graph;
  const names = [...arena.names];
  // A clip that is not known there has not begun: its effects are as they were built.
  const fits = (name: string) => {
    const part = state.get(name);
    return part ? arena.fits(name, part) : name.includes(IN_CLIP);
  };
  if (!names.every(fits)) return false;
  for (const name of names) {
    const part = state.get(name);
    if (part) arena.load(name, part);
  }
  return true;
}
