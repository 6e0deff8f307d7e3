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
  sessions: "84bb7df1e4bed73cb409c182",
  sounds: [
    "fe7be8bd779a1841f25ff3d0",
    "b40b7e9864595f5e53d01b5c",
    "fec9afb531a8e036eba1d816",
    "e9ae23469dcf124805c2d6eb",
    "1358f4ce65f0d1ed482d572e",
    "8ecb965f59124a9bf8067c00",
    "9ccd987b7b9088771a7cd01f",
    "13bb7ba05ed616288dd10e95",
    "f0c1ca7fe2cd2e6d85cadf7f",
    "aca9e466a5a6a4e2acaf6756",
    "face54f13625e877622a89d7",
    "ae7242214e6584ecc5503b04",
    "52011f4c2992d0944d61235c",
    "81de78578df8ba847569b9b9",
    "0e0025133a87f64315d809c2",
    "8132cfb2c5bec90c45586d49",
    "a09438d0bdb2c469ae50811b",
    "edcf165a044f8b8131302e56",
    "f1e74315c8ac5ebbc9720663",
    "daba900ea43ce674b307a499",
    "a7ee787d2a72f78f12391130",
    "b6c4e6b4967f1717694ff2a7",
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
