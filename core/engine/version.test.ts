import { sha256 } from "@noble/hashes/sha2.js";
import { bytesToHex } from "@noble/hashes/utils.js";
import fc from "fast-check";
import { expect, test } from "vitest";
import type { Session } from "../session/document";
import { MIX_OUT, listen } from "../testing/listen";
import { randomSessions, recordings as library } from "../testing/random-session";
import { ENGINE_VERSION } from "./version";

/**
 * The sound of a few sessions that between them hold every device, as hashes. Whoever changes the sound changes both
 * the version, so that older prints are called stale, and what stands here; and says in the commit what became
 * different. They are the same on every machine: the core computes nothing that depends on one.
 */
const GOLDEN = {
  version: 7,
  /** Of the sessions themselves: where only this differs from what is below, the generator draws others than it did. */
  sessions: "e7261c828e48e0bdb2a1d478",
  sounds: [
    "fe7be8bd779a1841f25ff3d0",
    "b40b7e9864595f5e53d01b5c",
    "fec9afb531a8e036eba1d816",
    "e9ae23469dcf124805c2d6eb",
    "1358f4ce65f0d1ed482d572e",
    "877e3b15679407ded894b17b",
    "4f67ff103207c9546f0d3206",
    "128dc6e0009d3013c81f1248",
    "f0c1ca7fe2cd2e6d85cadf7f",
    "aca9e466a5a6a4e2acaf6756",
    "face54f13625e877622a89d7",
    "6d6c0dece80f5e2bfb838964",
    "52011f4c2992d0944d61235c",
    "81de78578df8ba847569b9b9",
    "18de67169c2c487318c9be30",
    "23b8e391ac475b5049a33350",
    "a09438d0bdb2c469ae50811b",
    "57eb2c0ba3c8a805c645e8a4",
    "9d76325eeb5f798c9d9efa26",
    "daba900ea43ce674b307a499",
    "ea1c2b27b0ee2274a73ae93b",
    "21610174d29632dd66d5a1cb",
    "0f240db860711826eed6874a",
    "86e5173f060490aebeb8d06e",
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
