import type { FromMidi } from "./midi.worker";

/** The largest there are take a second. */
const LONGEST_MS = 10_000;

/** Reads a MIDI file in a worker of its own, which is ended with it: whatever is in the file, the page goes on. */
export async function readScore(file: File): Promise<FromMidi> {
  const bytes = await file.arrayBuffer();
  const worker = new Worker(new URL("./midi.worker.ts", import.meta.url), { type: "module", name: "midi" });
  try {
    return await new Promise<FromMidi>((resolve) => {
      const timer = setTimeout(() => resolve({ why: `it was given up after ${LONGEST_MS / 1000} s` }), LONGEST_MS);
      worker.onmessage = ({ data }: MessageEvent<FromMidi>) => {
        clearTimeout(timer);
        resolve(data);
      };
      worker.onerror = (event) => {
        event.preventDefault();
        clearTimeout(timer);
        resolve({ why: "it cannot be read" });
      };
      worker.postMessage(bytes, [bytes]);
    });
  } finally {
    worker.terminate();
  }
}
