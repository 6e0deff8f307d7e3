/// <reference lib="webworker" />
import { heldAudio } from "../core/engine/needs";
import { render } from "../core/engine/render";
import { MIX_AFTER } from "../core/engine/tap";
import { type TriedNote, noteSession } from "../core/session/note-session";
import type { Device, Session } from "../core/session/document";
import { AudioCache } from "./audio-cache";
import { blocksFromNetwork } from "./network-audio";

/** A note of an instrument, to be heard by itself. */
export interface ToNote {
  readonly id: number;
  readonly of: Pick<Session, "rate" | "assets" | "instruments">;
  readonly device: Device;
  readonly note: TriedNote;
}

/** What it sounds like; nothing where its audio cannot be had. */
export interface FromNote {
  readonly id: number;
  readonly left?: Float32Array<ArrayBuffer>;
  readonly right?: Float32Array<ArrayBuffer>;
}

const cache = new AudioCache({
  blocks: blocksFromNetwork((bytes) => new ArrayBuffer(bytes)),
  reshaped: () => Promise.reject(new Error("nothing of an instrument is stretched")),
});

async function heard({ of, device, note }: ToNote): Promise<Pick<FromNote, "left" | "right">> {
  const session = noteSession(of, device, note);
  const needed = heldAudio(session);
  await cache.open(needed);
  await cache.loadWhole(needed);
  const parts: { readonly left: Float32Array; readonly right: Float32Array }[] = [];
  render({
    ...{ session, library: cache.library, from: 0, to: Math.round(note.heldS * of.rate), tail: "measured" },
    taps: [
      {
        tap: MIX_AFTER,
        sink: (left, right, offset, count) =>
          parts.push({ left: left.slice(offset, offset + count), right: right.slice(offset, offset + count) }),
      },
    ],
  });
  const joined = (side: "left" | "right") => {
    const all = new Float32Array(parts.reduce((sum, p) => sum + p[side].length, 0));
    let at = 0;
    for (const part of parts) {
      all.set(part[side], at);
      at += part[side].length;
    }
    return all;
  };
  return { left: joined("left"), right: joined("right") };
}

/** One after the other. */
let before: Promise<unknown> = Promise.resolve();

addEventListener("message", ({ data }: MessageEvent<ToNote>) => {
  before = before
    .then(() => heard(data))
    .then(
      (note) =>
        postMessage(
          { id: data.id, ...note } satisfies FromNote,
          [note.left, note.right].flatMap((part) => (part ? [part.buffer] : [])),
        ),
      () => postMessage({ id: data.id } satisfies FromNote),
    );
});
