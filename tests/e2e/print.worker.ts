/// <reference lib="webworker" />
import { WavReader } from "../../core/formats/wav/read";
import { MemorySource } from "../../core/formats/bytes/bytes";
import { render } from "../../core/engine/render";
import type { AudioReader } from "../../core/audio/audio-reader";
import { MissingAudio } from "../../core/engine/library";
import { stretchedFrames } from "../../core/session/bend";
import { reshapeKey, reshapes } from "../../core/session/clips";
import type { Session } from "../../core/session/document";
import { passOf, planExport } from "../../core/delivery/plan";
import { reshapeAudio } from "../../core/stretch/reshape";
import { makeStretcher } from "../../core/stretch/stretcher";
import { sayRefusals } from "../../core/words/refusals";

/** Renders the stems of a session inside a browser's worker and answers with the samples of each, left then right. */
interface Wanted {
  readonly session: Session;
  readonly audio: Readonly<Record<string, ArrayBuffer>>;
}

async function print({ session, audio }: Wanted): Promise<readonly string[]> {
  const plan = planExport(session);
  if (!plan.ok) throw new Error(sayRefusals(plan.refusals));
  const { files } = plan.value;
  const open = (hash: string) => {
    const bytes = audio[hash];
    if (!bytes) throw new MissingAudio(hash);
    return WavReader.open(new MemorySource(new Uint8Array(bytes)));
  };
  const reshaped = new Map<string, AudioReader>();
  for (const reshape of reshapes(session)) {
    const frames = stretchedFrames(open(reshape.asset).frames, reshape);
    const made = { left: new Float32Array(frames), right: new Float32Array(frames) };
    let at = 0;
    reshapeAudio(open(reshape.asset), reshape, await makeStretcher(session.rate), (left, right, offset, count) => {
      made.left.set(left.subarray(offset, offset + count), at);
      made.right.set(right.subarray(offset, offset + count), at);
      at += count;
    });
    reshaped.set(reshapeKey(reshape), {
      frames,
      channels: 2,
      read(start, count, left, right, offset) {
        left.set(made.left.subarray(start, start + count), offset);
        right.set(made.right.subarray(start, start + count), offset);
      },
    });
  }
  const parts = files.map(() => ({ left: [] as Float32Array[], right: [] as Float32Array[] }));
  render({
    ...passOf(session, plan.value),
    library: (hash, reshape) => (reshape ? reshaped.get(reshapeKey(reshape)) : undefined) ?? open(hash),
    taps: files.map(({ tap }, i) => ({
      tap,
      sink: (left, right, offset, count) => {
        parts[i]?.left.push(left.slice(offset, offset + count));
        parts[i]?.right.push(right.slice(offset, offset + count));
      },
    })),
  });
  return Promise.all(
    parts.map(async ({ left, right }) => {
      const bytes = await new Blob([...left, ...right] as BlobPart[]).arrayBuffer();
      return [...new Uint8Array(await crypto.subtle.digest("SHA-256", bytes))]
        .map((b) => b.toString(16).padStart(2, "0"))
        .join("");
    }),
  );
}

addEventListener("message", ({ data }: MessageEvent<Wanted>) => {
  // A rejection is thrown where the page listens for errors.
  print(data).then(postMessage, (error: unknown) =>
    setTimeout(() => {
      throw error;
    }),
  );
});
