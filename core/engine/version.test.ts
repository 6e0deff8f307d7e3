import { sha256 } from "@noble/hashes/sha2.js";
import { bytesToHex } from "@noble/hashes/utils.js";
import fc from "fast-check";
import { expect, test } from "vitest";
import type { Session } from "../session/document";
import { MIX_OUT, listen } from "../testing/listen";
import { randomSessions, recordings as library } from "../testing/random-session";
import { ENGINE_VERSION } from "./version";

/**
 * The sound of a few sessions that between them hold every device, as hashes. A change of the sound changes both
 * the version, so that older prints are called stale, and what stands here; and says in the commit what became
 * different. They are the same on every machine: the core computes nothing that depends on one.
 */
const GOLDEN = {
  version: 8,
  /** Of the sessions themselves: where only this differs from what is below, the generator draws others than it did. */
  sessions: "33b0448073b19ecaa7c2dc07",
  sounds: [
    "22f73598ebc359894fcc79ad",
    "5bc5fc8d1b601035e05b9a60",
    "fec9afb531a8e036eba1d816",
    "44da1c7e576f1f73702bc191",
    "1358f4ce65f0d1ed482d572e",
    "c683473bbd8afde32d6946d5",
    "5b198124fe8f4ad186af2ad4",
    "b33d1d5ea1fc28ee19390462",
    "f3477a04b60f781dc1a2ddc9",
    "41bd2da6bc0424c3598accf1",
    "8002e42243d0d11a56916cab",
    "1912e317159420ea96a0d745",
    "191441a5beb87adfd366bea0",
    "ae6fcf8257a7619f53d69db5",
    "b1d9f7ea1e7346fac9bcbb18",
    "b1c4ec4835d2d7c2cdba9775",
    "5ac99ad553f3c24fd1f1a580",
    "08ef49fdc29da4826dd877ec",
    "e7b1231513eaa5b79fdbb16f",
    "8ad53d91243d06bf1330a4a1",
    "75843085d605928e3bb6bcea",
    "d937183403c3e26579a0dacc",
    "0f240db860711826eed6874a",
    "0f3514715967cba93fd9b1ba",
  ],
};

function soundOf(session: Session): string {
  const [mix] = listen(session, [MIX_OUT], { library });
  const hash = sha256.create();
  for (const side of [mix!.left, mix!.right])
    hash.update(new Uint8Array(side.buffer, side.byteOffset, side.byteLength));
  return bytesToHex(hash.digest()).slice(0, 24);
}

test("the sound is what this version of the engine made of it", () => {
  const sessions = fc.sample(randomSessions(), { numRuns: 24, seed: 14 });
  const types = new Set(sessions.flatMap((s) => s.tracks.flatMap((t) => t.devices.map((d) => d.type))));
  expect(types.size).toBeGreaterThan(15);
  const drawn = bytesToHex(sha256(new TextEncoder().encode(JSON.stringify(sessions)))).slice(0, 24);
  expect({ version: ENGINE_VERSION, sessions: drawn, sounds: sessions.map(soundOf) }).toEqual(GOLDEN);
});
