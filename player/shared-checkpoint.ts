import { type Checkpoint, packState, unpackState } from "../core/engine/checkpoint";
import type { Frames } from "../core/units";

/** A checkpoint in memory that the page and all its workers share. */
export interface SharedCheckpoint {
  readonly clock: Frames;
  readonly block: Frames;
  /** Its state, packed. */
  readonly memory: SharedArrayBuffer;
}

export function shareCheckpoint({ clock, block, state }: Checkpoint): SharedCheckpoint {
  const packed = packState(state);
  const memory = new SharedArrayBuffer(packed.length);
  new Uint8Array(memory).set(packed);
  return { clock, block, memory };
}

export const openCheckpoint = ({ clock, block, memory }: SharedCheckpoint): Checkpoint => ({
  ...{ clock, block },
  state: unpackState(new Uint8Array(memory)),
});
