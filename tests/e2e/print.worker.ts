/// <reference lib="webworker" />
import { WavReader } from "../../core/formats/wav/read";
import { MemorySource } from "../../core/formats/bytes/bytes";
import { render } from "../../core/engine/render";
import { MissingAudio } from "../../core/engine/audio-reader";
import type { Session } from "../../core/session/document";
import { planExport } from "../../core/stems/plan";

/** Renders the stems of a session inside a browser's worker and answers with the samples of each, left then right. */
interface Wanted {
  readonly session: Session;
  readonly audio: Readonly<Record<string, ArrayBuffer>>;
}

addEventListener("message", ({ data }: MessageEvent<Wanted>) => {
  const plan = planExport(data.session);
  if (!plan.ok) throw new Error(plan.problems[0]?.what);
  const { files, from, to, tail } = plan.value;
  const parts = files.map(() => ({ left: [] as Float32Array[], right: [] as Float32Array[] }));
  render({
    session: data.session, from, to, tail,
    library: (hash) => {
      const bytes = data.audio[hash];
      if (!bytes) throw new MissingAudio(hash);
      return WavReader.open(new MemorySource(new Uint8Array(bytes)));
    },
    taps: files.map(({ tap }, i) => ({
      tap,
      sink: (left, right, offset, count) => {
        parts[i]?.left.push(left.slice(offset, offset + count));
        parts[i]?.right.push(right.slice(offset, offset + count));
      },
    })),
  });
  const hashes = parts.map(async ({ left, right }) => {
    const bytes = await new Blob([...left, ...right] as BlobPart[]).arrayBuffer();
    return [...new Uint8Array(await crypto.subtle.digest("SHA-256", bytes))].map((b) => b.toString(16).padStart(2, "0")).join("");
  });
  void Promise.all(hashes).then((list) => postMessage(list));
});
