import { utf8ToBytes } from "@noble/hashes/utils.js";
import type { Frames } from "../../units";
import type { WavChunk } from "./format";

/** A place in a file with a name, from its first frame on. */
export interface Cue {
  readonly frame: Frames;
  readonly label: string;
}

const CUE_BYTES = 24;
/** A place is told in 32 bits. */
const LAST_FRAME: Frames = 0xffffffff;

/**
 * The chunks that mark places of a file: `cue ` with the places, `LIST` of type `adtl` with their labels. None where
 * there is nothing to mark; places that 32 bits cannot say are left out. Labels are UTF-8, as readers take them today.
 * RIFF Multimedia Programming Interface and Data Specifications 1.0, cue-points and associated data chunks.
 */
export function cueChunks(cues: readonly Cue[]): readonly WavChunk[] {
  const said = cues.filter((c) => c.frame <= LAST_FRAME);
  if (said.length === 0) return [];
  const places = new DataView(new ArrayBuffer(4 + said.length * CUE_BYTES));
  places.setUint32(0, said.length, true);
  said.forEach(({ frame }, i) => {
    const at = 4 + i * CUE_BYTES;
    places.setUint32(at, i + 1, true);
    places.setUint32(at + 4, frame, true);
    setTag(places, at + 8, "data");
    // Both chunk and block begin at 0 where samples are not in a list of waves.
    places.setUint32(at + 20, frame, true);
  });
  const labels = said.map(({ label }, i) => {
    const text = utf8ToBytes(label);
    // Its length counts the zero behind the text, but not the byte that makes it even.
    const length = 4 + text.length + 1;
    const chunk = new Uint8Array(8 + length + (length % 2));
    const view = new DataView(chunk.buffer);
    setTag(view, 0, "labl");
    view.setUint32(4, length, true);
    view.setUint32(8, i + 1, true);
    chunk.set(text, 12);
    return chunk;
  });
  const list = new Uint8Array(4 + labels.reduce((sum, l) => sum + l.length, 0));
  setTag(new DataView(list.buffer), 0, "adtl");
  let at = 4;
  for (const label of labels) {
    list.set(label, at);
    at += label.length;
  }
  return [
    { id: "cue ", body: new Uint8Array(places.buffer) },
    { id: "LIST", body: list },
  ];
}

function setTag(view: DataView, at: number, tag: string): void {
  for (let i = 0; i < 4; i++) view.setUint8(at + i, tag.charCodeAt(i));
}
