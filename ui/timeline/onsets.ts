import type { Frames } from "../../core/units";
import { audioAddress } from "../session/api";

/** Beginnings of sounds by asset hash, fetched when they are first asked for. */
const loaded = new Map<string, readonly Frames[] | "on its way">();
const NONE: readonly Frames[] = [];

async function fetched(hash: string): Promise<readonly Frames[]> {
  const response = await fetch(`${audioAddress(hash)}/onsets`);
  if (!response.ok) throw new Error(`onsets: ${response.status}`);
  const onsets = (await response.json()) as readonly Frames[];
  loaded.set(hash, onsets);
  return onsets;
}

/** Frames of a file where sounds begin, as far as they are known yet. */
export function onsetsOf(hash: string): readonly Frames[] {
  const known = loaded.get(hash);
  if (known === undefined) {
    loaded.set(hash, "on its way");
    // Asked for again at the next drag.
    fetched(hash).catch(() => loaded.delete(hash));
  }
  return typeof known === "object" ? known : NONE;
}

/** The same, waited for; null where they cannot be had. */
export async function onsetsNow(hash: string): Promise<readonly Frames[] | null> {
  const known = loaded.get(hash);
  return typeof known === "object" ? known : fetched(hash).catch(() => null);
}
