/// <reference lib="webworker" />
import { WavReader } from "../../core/formats/wav/read";
import { MemorySource } from "../../core/formats/bytes/bytes";
import type { Checkpoint } from "../../core/engine/checkpoint";
import type { RenderRequest } from "../../core/engine/render";
import { DEFAULT_BLOCK, render } from "../../core/engine/render";
import type { AudioReader } from "../../core/audio/audio-reader";
import { MissingAudio } from "../../core/engine/library";
import { stretchedFrames } from "../../core/session/bend";
import { reshapeKey, reshapes } from "../../core/session/clips";
import type { Session } from "../../core/session/document";
import { passOf, planExport } from "../../core/delivery/plan";
import { reshapeAudio } from "../../core/stretch/reshape";
import { makeStretcher } from "../../core/stretch/stretcher";
import { sayRefusals } from "../../core/words/refusals";

/** Renders the stems of a session inside a browser's worker and answers with hashes of the samples of
 * each, left then right. */
interface Wanted {
  readonly session: Session;
  readonly audio: Readonly<Record<string, ArrayBuffer>>;
}

/** Hashes of all stems of one render, and of one that went on from a checkpoint in its middle. */
export interface Printed {
  readonly whole: readonly string[];
  readonly resumed: readonly string[];
}

async function print({ session, audio }: Wanted): Promise<Printed> {
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
  type Side = Float32Array[];
  const listen = (parts: readonly { readonly left: Side; readonly right: Side }[], more: Partial<RenderRequest>) =>
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
      ...more,
    });
  const hashesOf = (parts: readonly { readonly left: Side; readonly right: Side }[]) =>
    Promise.all(
      parts.map(async ({ left, right }) => {
        const bytes = await new Blob([...left, ...right] as BlobPart[]).arrayBuffer();
        return [...new Uint8Array(await crypto.subtle.digest("SHA-256", bytes))]
          .map((b) => b.toString(16).padStart(2, "0"))
          .join("");
      }),
    );

  const kept: Checkpoint[] = [];
  const whole = files.map(() => ({ left: [] as Side, right: [] as Side }));
  listen(whole, { checkpoints: { every: 2 * DEFAULT_BLOCK, take: (c) => kept.push(c) } });
  const { from, to } = passOf(session, plan.value);
  const resume = kept.find(({ clock }) => clock > (from + to) / 2);
  if (!resume) throw new Error("no checkpoint was taken");
  const resumed = files.map(() => ({ left: [] as Side, right: [] as Side }));
  const since = resume.clock - resume.latency - from;
  for (const [i, { left, right }] of resumed.entries()) {
    left.push(firstOf(whole[i]?.left ?? [], since));
    right.push(firstOf(whole[i]?.right ?? [], since));
  }
  listen(resumed, { resume });
  return { whole: await hashesOf(whole), resumed: await hashesOf(resumed) };
}

/** The first frames of what came in pieces. */
function firstOf(pieces: readonly Float32Array[], frames: number): Float32Array {
  const all = new Float32Array(frames);
  let at = 0;
  for (const piece of pieces) {
    if (at >= frames) break;
    const part = piece.subarray(0, frames - at);
    all.set(part, at);
    at += part.length;
  }
  return all;
}

addEventListener("message", ({ data }: MessageEvent<Wanted>) => {
  // A rejection is thrown where the page listens for errors.
  print(data).then(postMessage, (error: unknown) =>
    setTimeout(() => {
      throw error;
    }),
  );
});
