import { sha256 } from "@noble/hashes/sha2.js";
import { bytesToHex, utf8ToBytes } from "@noble/hashes/utils.js";
import { canonicalJson, type Canonical } from "../../core/canonical";
import type { OutputFile } from "../files/output-file";

/** Raised where files come out otherwise than before though nothing of what is ordered is different. */
const FILE_VERSION = 3;

/** A file as it is ordered, wherever it is written to. */
export type OutputOrder = Omit<OutputFile, "path" | "order">;

/**
 * What names a file exactly: the hash of the order itself, so that no setting can be forgotten in it. `sound` is the
 * fingerprint of what is tapped and stands for the tap. `pass`: what of the pass reaches into the file. The day is left
 * out: a file that is delivered again keeps its own. Loudness follows from the sound.
 */
export function outputKey(sound: string, order: OutputOrder, pass: Canonical): string {
  const { bext, make } = order;
  const file = {
    ...order,
    tap: sound,
    bext: { ...bext, originationDate: "", originationTime: "", loudness: null },
    make: make && { ...make, label: { ...make.label, date: "" } },
    pass,
  };
  return bytesToHex(sha256(utf8ToBytes(canonicalJson([FILE_VERSION, plain(file)]))));
}

/** A value as JSON has it: bytes by their hash, what is not there left out. Throws `TypeError` for what has no form. */
function plain(value: unknown): Canonical {
  if (value === null || typeof value === "boolean" || typeof value === "number" || typeof value === "string")
    return value;
  if (value instanceof Uint8Array) return bytesToHex(sha256(value));
  if (Array.isArray(value)) return value.map(plain);
  if (typeof value === "object")
    return Object.fromEntries(Object.entries(value).flatMap(([k, v]) => (v === undefined ? [] : [[k, plain(v)]])));
  throw new TypeError(`a ${typeof value} cannot be part of a key`);
}
