import { sha256 } from "@noble/hashes/sha2.js";
import { bytesToHex, utf8ToBytes } from "@noble/hashes/utils.js";
import { canonicalJson } from "../canonical";
import type { Session } from "./document";

const known = new WeakMap<Session["tracks"], string>();

/**
 * Hash (SHA-256, hexadecimal) of everything on the tracks that can change how a session sounds. Names, what is hidden,
 * and tracks with nothing on them are not in it.
 */
export function soundOf({ tracks }: Pick<Session, "tracks">): string {
  const before = known.get(tracks);
  if (before !== undefined) return before;
  const sounding = tracks.filter((t) => t.clips.length > 0 || t.devices.length > 0 || t.kind !== "audio");
  const plain = sounding.map((t) => ({
    ...t,
    name: "",
    hidden: false,
    takes: [],
    printOf: null,
    clips: t.clips.map((c) => ({ ...c, name: "" })),
  }));
  const hash = bytesToHex(sha256(utf8ToBytes(canonicalJson(plain))));
  known.set(tracks, hash);
  return hash;
}
