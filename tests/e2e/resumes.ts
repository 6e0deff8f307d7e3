import { sha256 } from "@noble/hashes/sha2.js";
import { bytesToHex } from "@noble/hashes/utils.js";
import fc from "fast-check";
import { catalogue } from "../../core/devices/catalogue";
import { type Checkpoint, packState, unpackState } from "../../core/engine/checkpoint";
import { DEFAULT_BLOCK } from "../../core/engine/render";
import type { Session } from "../../core/session/document";
import { MIX_OUT, listen, tapAt } from "../../core/testing/listen";
import { randomSessions, recordings } from "../../core/testing/random-session";

const SEED = 31;
const DRAWN = 200;

/** What rendering from checkpoints gave. The same wherever it runs. */
export interface Resumed {
  /** Device types of the sessions that were rendered. */
  readonly types: readonly string[];
  readonly checkpoints: number;
  /** How many renders from a checkpoint were not the end of the whole one. */
  readonly wrong: number;
  /** SHA-256 of all that was rendered whole. */
  readonly hash: string;
}

/** Renders random sessions that have every device between them: whole, and from random checkpoints. */
export function resumeEveryDevice(): Resumed {
  const seen = new Set<string>();
  const hash = sha256.create();
  let [checkpoints, wrong] = [0, 0];
  const draws = fc.sample(fc.tuple(randomSessions(), fc.integer({ min: 3, max: 20 })), { numRuns: DRAWN, seed: SEED });
  for (const [session, blocks] of draws) {
    const fresh = typesOf(session).filter((type) => !seen.has(type));
    if (fresh.length === 0) continue;
    for (const type of typesOf(session)) seen.add(type);
    const tracks = session.tracks.filter((t) => t.kind === "audio" || t.kind === "instrument");
    const taps = [MIX_OUT, ...tracks.map((t) => tapAt("devices", t.id))];
    const kept: Checkpoint[] = [];
    const every = blocks * DEFAULT_BLOCK;
    const whole = listen(session, taps, { library: recordings, checkpoints: { every, take: (c) => kept.push(c) } });
    for (const { left, right } of whole) for (const side of [left, right]) hash.update(bytesOf(side));
    for (const checkpoint of kept.slice(0, 2)) {
      checkpoints++;
      const resume = { ...checkpoint, state: unpackState(packState(checkpoint.state)) };
      const rest = listen(session, taps, { library: recordings, resume });
      if (rest.some(({ left, right }, i) => !isEnd(left, whole[i]?.left) || !isEnd(right, whole[i]?.right))) wrong++;
    }
  }
  return { types: [...seen].sort(), checkpoints, wrong, hash: bytesToHex(hash.digest()) };
}

/** Devices that never sound the same twice have no checkpoints. */
const OFFLINE = new Set(catalogue.filter((d) => !d.realTime).map((d) => d.type));
export const offlineTypes = [...OFFLINE].sort();

const typesOf = ({ tracks }: Session): readonly string[] =>
  tracks.flatMap((t) => t.devices.map((d) => d.type)).filter((type) => OFFLINE.has(type));

const bytesOf = (x: Float32Array): Uint8Array => new Uint8Array(x.buffer, x.byteOffset, x.byteLength);

/** Whether one is how the other ends, bit for bit. */
function isEnd(end: Float32Array, whole: Float32Array | undefined): boolean {
  if (!whole || end.length === 0 || end.length > whole.length) return false;
  const [a, b] = [bytesOf(end), bytesOf(whole.subarray(whole.length - end.length))];
  return a.every((byte, i) => byte === b[i]);
}
