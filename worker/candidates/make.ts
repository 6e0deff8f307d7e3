import type { Hash } from "node:crypto";
import { createHash } from "node:crypto";
import { ftruncateSync, openSync, closeSync, rmSync, writeSync } from "node:fs";
import { MalformedFile } from "../../core/formats/bytes/bytes";
import { PEAK_FRAMES } from "../../core/analysis/peaks";
import { Meter } from "../../core/analysis/measure";
import { undrifted } from "../../core/mending/drift";
import { WavReader } from "../../core/formats/wav/read";
import type { WavFormat } from "../../core/formats/wav/format";
import { frameBytes } from "../../core/formats/wav/format";
import { plainHead } from "../../core/formats/wav/cut";
import type { Frames } from "../../core/units";
import { FileSource } from "../../server/audio/file-bytes";
import { Recorder } from "../render/recorder";
import type { Drift } from "../../core/mending/set";
import type { WrittenFile } from "../files/output-file";

/** Writes a file with its sides swapped, inverted, as one channel, or resampled to the set's clock. */
export interface TurnTask {
  readonly kind: "turn";
  readonly from: string;
  readonly to: string;
  readonly swap: boolean;
  readonly invert: boolean;
  readonly mono: boolean;
  readonly drift: Drift | null;
}

/** Makes two mono files the sides of one. */
export interface JoinTask {
  readonly kind: "join sides";
  readonly left: string;
  readonly right: string;
  readonly to: string;
}

/** Writes silence that stands for a file that is missing; `name` is in it, so that no two are the same. */
export interface StandInTask {
  readonly kind: "stand in";
  readonly name: string;
  readonly frames: Frames;
  readonly channels: 1 | 2;
  readonly rate: number;
  readonly to: string;
}

const BLOCK: Frames = 16384;

/** Writes two files of one channel as one of two. The shorter one is silent to the end of the longer. */
export async function joinSides({ left, right, to }: JoinTask): Promise<WrittenFile> {
  const sources = [new FileSource(left), new FileSource(right)] as const;
  let recorder: Recorder | null = null;
  try {
    const [a, b] = [WavReader.open(sources[0]), WavReader.open(sources[1])];
    const depths = [a.format.depth, b.format.depth];
    const depth = depths.some((d) => d === "32f" || d === "32") ? "32f" : depths.includes("24") ? "24" : "16";
    const made = (recorder = new Recorder(
      {
        path: to,
        format: { rate: a.format.rate, channels: 2, depth },
        ditherSeed: null,
        foldMono: false,
        bext: a.bext,
      },
      a.format.rate,
    ));
    const frames = Math.max(a.frames, b.frames);
    const [l, r, unheard] = [0, 1, 2].map(() => new Float32Array(BLOCK)) as [Float32Array, Float32Array, Float32Array];
    for (let from = 0; from < frames; from += BLOCK) {
      const n = Math.min(BLOCK, frames - from);
      for (const [wav, into] of [
        [a, l],
        [b, r],
      ] as const) {
        const there = Math.max(0, Math.min(n, wav.frames - from));
        if (there > 0) wav.read(from, there, into, unheard, 0);
        into.fill(0, there, n);
      }
      made.sink(l, r, 0, n);
    }
    const written = await made.finish();
    recorder = null;
    return written;
  } catch (error) {
    recorder?.discard();
    rmSync(to, { force: true });
    throw error;
  } finally {
    for (const s of sources) s.close();
  }
}

/** Writes a file with its sides swapped, inverted, with its left side alone, or resampled to the set's clock. */
export async function turned({ from, to, swap, invert, mono, drift }: TurnTask): Promise<WrittenFile> {
  const source = new FileSource(from);
  let recorder: Recorder | null = null;
  try {
    const wav = WavReader.open(source);
    const { rate, depth, channels } = wav.format;
    const audio = drift ? undrifted(wav, drift, "keep") : wav;
    const file = {
      path: to,
      format: { rate, channels: mono ? 1 : channels, depth: drift || depth === "32" ? "32f" : depth },
      ditherSeed: null,
      foldMono: false,
      bext: wav.bext,
    } as const;
    const made = (recorder = new Recorder(file, rate));
    const [left, right] = [new Float32Array(BLOCK), new Float32Array(BLOCK)];
    for (let at = 0; at < audio.frames; at += BLOCK) {
      const n = Math.min(BLOCK, audio.frames - at);
      audio.read(at, n, left, right, 0);
      if (invert) for (const side of [left, right]) for (let i = 0; i < n; i++) side[i] = -(side[i] as number);
      const [a, b] = swap ? [right, left] : [left, right];
      made.sink(a, mono ? a : b, 0, n);
    }
    const written = await made.finish();
    recorder = null;
    return written;
  } catch (error) {
    recorder?.discard();
    rmSync(to, { force: true });
    throw error;
  } finally {
    source.close();
  }
}

/**
 * Writes silence of a length, of which the disk keeps no more than its head. Behind the samples stands the name of what
 * it stands for.
 */
export function standIn({ name, frames, rate, channels, to }: StandInTask): WrittenFile {
  if (frames > rate * LONGEST_SILENCE_S)
    throw new MalformedFile(
      `"${name}" is missing, and a clip reaches ${Math.round(frames / rate / 3600)} hours into it; silence stands for ${LONGEST_SILENCE_S / 3600} at most`,
    );
  const format: WavFormat = { rate, channels, depth: "16" };
  const note = Buffer.from(`missing: ${name}`.slice(0, 2000), "utf8");
  // Of a few lengths only, so that files of the same length begin alike and are hashed once.
  const body = Buffer.alloc(8 + NOTE_BYTES * Math.ceil(note.length / NOTE_BYTES));
  body.write("note", 0, "latin1");
  body.writeUInt32LE(body.length - 8, 4);
  note.copy(body, 8);
  const head = Buffer.from(plainHead(format, frames));
  const size = frames * frameBytes(format);
  head.writeUInt32LE(size + 36 + body.length, 4);
  const file = openSync(to, "wx");
  try {
    writeSync(file, head);
    ftruncateSync(file, head.length + size);
    writeSync(file, body, 0, body.length, head.length + size);
  } finally {
    closeSync(file);
  }
  // Silence measures the same however long it is.
  const meter = new Meter(rate);
  meter.push(SILENCE, SILENCE, 0, 1);
  const bytes = head.length + size + body.length;
  return {
    path: to,
    format,
    frames,
    bytes,
    sha256: silenceHash(head, size).update(body).digest("hex"),
    measures: { ...meter.finish(channels), frames },
    overview: new Uint8Array(2 * Math.ceil(frames / PEAK_FRAMES)),
  };
}

/** A WAV file of 4 GB, at most, is not much longer at 96 kHz. */
const LONGEST_SILENCE_S = 6 * 3600;
const NOTE_BYTES = 256;
const SILENCE = new Float32Array(1);
const ZEROS = new Uint8Array(1 << 20);
/** The hash of the last silence that was made, without what stands behind it: many are equally long. */
let lastSilence: { readonly head: string; readonly hash: Hash } | null = null;

function silenceHash(head: Buffer, bytes: number): Hash {
  const key = head.toString("latin1");
  if (lastSilence?.head !== key) {
    const hash = createHash("sha256").update(head);
    for (let left = bytes; left > 0; left -= ZEROS.length) hash.update(ZEROS.subarray(0, Math.min(left, ZEROS.length)));
    lastSilence = { head: key, hash };
  }
  return lastSilence.hash.copy();
}
