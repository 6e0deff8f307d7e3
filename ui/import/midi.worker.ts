/// <reference lib="webworker" />
import { MalformedFile } from "../../core/formats/bytes/bytes";
import type { MidiFile } from "../../core/formats/midi/read";
import { readMidi } from "../../core/formats/midi/read";

/** What a file holds, or why it cannot be read. */
export type FromMidi = { readonly midi: MidiFile } | { readonly why: string };

addEventListener("message", ({ data }: MessageEvent<ArrayBuffer>) => {
  try {
    postMessage({ midi: readMidi(new Uint8Array(data)) } satisfies FromMidi);
  } catch (error) {
    if (!(error instanceof MalformedFile)) throw error;
    postMessage({ why: error.message } satisfies FromMidi);
  }
});
