import { type Checkpoint, packState, unpackState } from "../core/engine/checkpoint";
import type { Frames } from "../core/units";

/** A checkpoint in memory that the page and all its workers share. */
export interface SharedCheckpoint {
  readonly clock: Frames;
  readonly block: Frames;
  readonly latency: Frames;
  /** Its state, packed. */
  readonly memory: SharedArrayBuffer;
}

export function shareCheckpoint({ state, ...place }: Checkpoint): SharedCheckpoint {
  const packed = packState(state);
  const memory = new SharedArrayBuffer(packed.length);
  new Uint8Array(memory).set(packed);
  return { ...place, memory };
}

export const openCheckpoint = ({ memory, ...place }: SharedCheckpoint): Checkpoint => ({
  ...place,
  state: unpackState(new Uint8Array(memory)),
});
