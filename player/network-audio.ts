import { MissingAudio } from "../core/engine/library";
import type { AudioOrigin } from "./audio-cache";
import { BLOCK_BYTES } from "./audio-cache";

/** Blocks of an asset's file, from the server. `memory`: where a block's bytes are put. */
export const blocksFromNetwork =
  (memory: (bytes: number) => ArrayBuffer | SharedArrayBuffer): AudioOrigin["blocks"] =>
  async (asset, first, end) => {
    const answer = await fetch(`/api/audio/${asset}`, {
      headers: { Range: `bytes=${first * BLOCK_BYTES}-${end * BLOCK_BYTES - 1}` },
    });
    if (answer.status === 404) throw new MissingAudio(asset);
    if (!answer.ok) throw new Error(`the server answered ${answer.status}`);
    const bytes = new Uint8Array(await answer.arrayBuffer());
    const blocks: Uint8Array[] = [];
    for (let at = 0; at < bytes.length; at += BLOCK_BYTES) {
      const block = new Uint8Array(memory(Math.min(BLOCK_BYTES, bytes.length - at)));
      block.set(bytes.subarray(at, at + block.length));
      blocks.push(block);
    }
    return { blocks, size: Number(answer.headers.get("Content-Range")?.split("/")[1] ?? bytes.length) };
  };
