import type { TriedNote } from "../../core/session/note-session";
import type { Device, Session } from "../../core/session/document";
import type { FromNote, ToNote } from "../../player/note.worker";

let worker: Worker | null = null;
let context: AudioContext | null = null;
let last = 0;
let playing: AudioBufferSourceNode | null = null;

/**
 * Plays a note of a device's instrument as the engine renders it, beside what else plays; the one before ends.
 * Rejects where its audio cannot be had.
 */
export async function hearNote(session: Session, device: Device, note: TriedNote): Promise<void> {
  context ??= new AudioContext();
  await context.resume();
  worker ??= new Worker(new URL("../../player/note.worker.ts", import.meta.url), { type: "module" });
  const own = worker;
  const id = ++last;
  const { rate, assets, instruments } = session;
  const answer = await new Promise<FromNote>((done) => {
    const heard = ({ data }: MessageEvent<FromNote>) => {
      if (data.id !== id) return;
      own.removeEventListener("message", heard);
      done(data);
    };
    own.addEventListener("message", heard);
    own.postMessage({ id, of: { rate, assets, instruments }, device, note } satisfies ToNote);
  });
  const { left, right } = answer;
  if (!left || !right) throw new Error("its recordings cannot be read");
  // A key that was pressed since is what is wanted.
  if (id !== last || left.length === 0) return;
  const buffer = context.createBuffer(2, left.length, rate);
  buffer.copyToChannel(left, 0);
  buffer.copyToChannel(right, 1);
  playing?.stop();
  playing = new AudioBufferSourceNode(context, { buffer });
  playing.connect(context.destination);
  playing.start();
}
