import { sha256 } from "@noble/hashes/sha2.js";
import { utf8ToBytes } from "@noble/hashes/utils.js";

/** An identifier as it is written out, `0d010101-0101-0100-060e-2b3402060101`. */
export type Auid = string;

/** The order of a written identifier's bytes in a file: its first three numbers have their last byte first. */
const ORDER = [3, 2, 1, 0, 5, 4, 7, 6, 8, 9, 10, 11, 12, 13, 14, 15] as const;

/** A file names the same few hundred of them over and over. */
const known = new Map<Auid, Uint8Array>();
const MOST_KNOWN = 4096;

/**
 * An identifier's 16 bytes, not to be written to. AAF Object Specification, AUID_t; low-level container specification,
 * byte order.
 */
export function auidBytes(id: Auid): Uint8Array {
  const found = known.get(id);
  if (found) return found;
  const hex = id.replaceAll("-", "");
  const made = Uint8Array.from(ORDER, (i) => Number.parseInt(hex.slice(2 * i, 2 * i + 2), 16));
  if (known.size < MOST_KNOWN) known.set(id, made);
  return made;
}

export function auidOf(bytes: Uint8Array): Auid {
  const hex = [...ORDER].map((i) => (bytes[i] ?? 0).toString(16).padStart(2, "0")).join("");
  return `${hex.slice(0, 8)}-${hex.slice(8, 12)}-${hex.slice(12, 16)}-${hex.slice(16, 20)}-${hex.slice(20)}`;
}

/** An identifier that is the same for the same text, and for no other. RFC 9562, version 8. */
export function namedAuid(text: string): Auid {
  const bytes = sha256(utf8ToBytes(text)).slice(0, 16);
  bytes[6] = ((bytes[6] as number) & 0x0f) | 0x80;
  bytes[8] = ((bytes[8] as number) & 0x3f) | 0x80;
  const hex = [...bytes].map((b) => b.toString(16).padStart(2, "0")).join("");
  return `${hex.slice(0, 8)}-${hex.slice(8, 12)}-${hex.slice(12, 16)}-${hex.slice(16, 20)}-${hex.slice(20)}`;
}

/** Basic UMID, sound in one container, made from a UUID. SMPTE ST 330, 5 and 6. */
const UMID_LABEL = [0x06, 0x0a, 0x2b, 0x34, 0x01, 0x01, 0x01, 0x05, 0x01, 0x01, 0x0f, 0x20, 0x13, 0, 0, 0] as const;

/** A mob's 32 bytes that are the same for the same text. */
export function namedMobId(text: string): Uint8Array {
  const id = new Uint8Array(32);
  id.set(UMID_LABEL);
  id.set(auidBytes(namedAuid(text)), 16);
  return id;
}
