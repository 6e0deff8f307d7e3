import type { Frames } from "../../core/units";
import { audioAddress } from "../session/api";

/** Beginnings of sounds by asset hash, fetched when they are first asked for. */
const loaded = new Map<string, readonly Frames[] | "on its way">();
const NONE: readonly Frames[] = [];

/** Frames of a file where sounds begin, as far as they are known yet. */
export function onsetsOf(hash: string): readonly Frames[] {
  const known = loaded.get(hash);
  if (known === undefined) {
    loaded.set(hash, "on its way");
    fetch(`${audioAddress(hash)}/onsets`)
      .then(async (response) => {
        if (!response.ok) throw new Error(`onsets: ${response.status}`);
        loaded.set(hash, (await response.json()) as readonly Frames[]);
      })
      // Asked for again at the next drag.
      .catch(() => loaded.delete(hash));
  }
  return typeof known === "object" ? known : NONE;
}
