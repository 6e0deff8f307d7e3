import { createHash } from "node:crypto";
import { join } from "node:path";

/** Where everything that is not code lives, set by the scripts that start the processes. */
export function dataRoot(): string {
  const root = process.env["STEMZO_DATA"];
  if (!root) throw new Error("STEMZO_DATA is not set: start Stemzo with its own script.");
  return root;
}

/**
 * The root user's database runs as another user, who may not see into the checkout; an ordinary user's data stays
 * beside the code.
 */
export const defaultDataRoot = (checkout: string, isRoot: boolean): string =>
  isRoot
    ? join("/var/lib/stemzo", createHash("sha256").update(checkout).digest("hex").slice(0, 12))
    : join(checkout, ".data");

export const audioFolder = (root: string): string => join(root, "audio");
export const packageFolder = (root: string): string => join(root, "packages");
/**
 * Files still being written; emptied at every start. On the same file system as the store, so that a rename is atomic.
 */
export const unfinishedFolder = (root: string): string => join(root, "unfinished");
/** Notes of audio that is in its place and that the database may not speak of yet: see `server/audio/adopting.ts`. */
export const adoptingFolder = (root: string): string => join(root, "adopting");
/** What renders remember at places of them: see `worker/render/checkpoints.ts`. A cache, never backed up. */
export const checkpointFolder = (root: string): string => join(root, "checkpoints");
/** Files of instruments that were brought in, for all sessions. */
export const instrumentFolder = (root: string): string => join(root, "instruments");
/** Files that were asked for to be taken away; kept for a day. */
export const savedFolder = (root: string): string => join(root, "saved");
/** Files that were sent and are still to be brought in. */
export const uploadFolder = (root: string): string => join(root, "uploads");
/** Audio as clips reshape it: made from the store, and made again where it is missing. */
export const reshapedFolder = (root: string): string => join(root, "reshaped");
