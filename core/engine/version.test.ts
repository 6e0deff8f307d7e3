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
  sessions: "b43257d45dc5bfa652ec1741",
  sounds: [
    "fe7be8bd779a1841f25ff3d0",
    "b40b7e9864595f5e53d01b5c",
    "fec9afb531a8e036eba1d816",
    "e9ae23469dcf124805c2d6eb",
    "1358f4ce65f0d1ed482d572e",
    "3f7e828b74e2dd1e0dfb5cb8",
    "4f67ff103207c9546f0d3206",
    "f7e305ae730b159086fbcbb5",
    "f0c1ca7fe2cd2e6d85cadf7f",
    "eed52a8f23396c204fb624de",
    "face54f13625e877622a89d7",
    "872305c6aaa5d0a054b980de",
    "52011f4c2992d0944d61235c",
    "81de78578df8ba847569b9b9",
    "f7c76a91a9d6e5fc8c1fd962",
    "3946840095c00fd3784efaae",
    "a09438d0bdb2c469ae50811b",
    "edcf165a044f8b8131302e56",
    "f1e74315c8ac5ebbc9720663",
    "daba900ea43ce674b307a499",
    "d6d98fcc28e9650b7fa0fa82",
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
