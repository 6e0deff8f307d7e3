import type { Frames } from "../../core/units";
import { audioAddress } from "../session/api";
import { requestRedraw } from "./overviews";

/** The samples themselves, where one looks so close that an overview is too coarse. Fetched by the block. */
export const BLOCK: Frames = 32768;
/**
 * Blocks that are kept, 64 MB: more than fifty rows of two sides show at once as wide as screens are. Fewer than one
 * picture needs, and each block that came would push out one that the same picture asks for again.
 */
const MOST_BLOCKS = 512;

type Side = "left" | "right";
type Block = Float32Array | "on its way" | "not to be had";

/** The one looked at last comes last. */
const kept = new Map<string, Block>();

/** Gets a block; null: it is not to be had. */
type Getting = (index: number) => Promise<Float32Array | null>;

function blockOf(name: string, index: number, get: Getting): Float32Array | null {
  const key = `${name} ${index}`;
  const known = kept.get(key);
  if (known !== undefined) {
    kept.delete(key);
    kept.set(key, known);
    return known instanceof Float32Array ? known : null;
  }
  kept.set(key, "on its way");
  for (const oldest of kept.keys()) {
    if (kept.size <= MOST_BLOCKS) break;
    kept.delete(oldest);
  }
  void get(index)
    .then((block) => {
      kept.set(key, block ?? "not to be had");
      requestRedraw();
    })
    // The overview stands in for it; asked for again when it is looked at anew.
    .catch(() => kept.delete(key));
  return null;
}

/** A window on one side of an asset's samples. */
export interface CloseUp {
  /** The sample at a frame; 0 outside the asset. */
  at(frame: Frames): number;
  /** Lowest and highest sample of frames from `from` up to `to`, or the one there where both are the same. */
  extremes(from: number, to: number): readonly [low: number, high: number];
}

/** Samples of an asset between two frames; null as long as they are not here. */
export const closeUpOf = (hash: string, side: Side, from: number, to: number): CloseUp | null =>
  closeUp(
    `${hash} ${side}`,
    async (index) => {
      const where = `from=${index * BLOCK}&frames=${BLOCK}&side=${side}`;
      const response = await fetch(`${audioAddress(hash)}/samples?${where}`);
      return response.ok ? new Float32Array(await response.arrayBuffer()) : null;
    },
    from,
    to,
  );

/** The same of samples that are got otherwise; `name` tells them from all others. */
export function closeUp(name: string, get: Getting, from: number, to: number): CloseUp | null {
  const first = Math.max(0, Math.floor(from / BLOCK));
  const last = Math.max(first, Math.floor(to / BLOCK));
  // More than a few blocks are no close-up.
  if (last - first > 8) return null;
  const blocks: Float32Array[] = [];
  let missing = false;
  for (let k = first; k <= last; k++) {
    const block = blockOf(name, k, get);
    if (block) blocks.push(block);
    else missing = true;
  }
  if (missing) return null;
  const at = (frame: Frames): number => {
    const k = Math.floor(frame / BLOCK);
    return blocks[k - first]?.[frame - k * BLOCK] ?? 0;
  };
  return {
    at,
    extremes(one, other) {
      const begin = Math.floor(one);
      const end = Math.max(begin + 1, Math.ceil(other));
      let [low, high] = [Infinity, -Infinity];
      for (let frame = begin; frame < end; frame++) {
        const value = at(frame);
        if (value < low) low = value;
        if (value > high) high = value;
      }
      return [low, high];
    },
  };
}
