import { createHash } from "node:crypto";
import { AiffReader } from "../../core/formats/aiff/read";
import type { ByteSource } from "../../core/formats/bytes/bytes";
import { MalformedFile, bytesAt, tagAt } from "../../core/formats/bytes/bytes";
import { flacTimeReference } from "../../core/formats/flac/comments";
import { isUsableRate } from "../../core/formats/rates";
import type { AudioKind } from "../../core/formats/registry";
import { WavChannels } from "../../core/formats/wav/channels";
import type { ProbedFile } from "../../core/interchange/from-files";
import { decode } from "../import/decode";
import { ManyChannels } from "../import/reader";

export type Facts = Omit<ProbedFile, "path" | "sha256">;

/** What a file of sound is: from its header where that says it, else by decoding it once. Throws `MalformedFile`. */
export async function probe(source: ByteSource, kind: AudioKind, throwIfCancelled: () => void): Promise<Facts> {
  switch (kind) {
    case "wav": {
      const wav = WavChannels.open(source);
      return {
        title: null,
        rate: wav.rate,
        channels: wav.channels,
        frames: wav.frames,
        timeReference: wav.bext?.timeReference ?? null,
        bpm: acidTempo(source),
      };
    }
    case "aiff": {
      const aiff = AiffReader.open(source);
      const { rate, channels, frames, timeReference } = aiff;
      return { title: null, rate, channels, frames, timeReference, bpm: null };
    }
    case "flac": {
      const info = streamInfo(source);
      if (info) return { title: null, ...info, timeReference: flacTimeReference(source), bpm: null };
      return counted(source, kind, throwIfCancelled);
    }
    default:
      return counted(source, kind, throwIfCancelled);
  }
}

/** Reads a file through to know how long it is. */
async function counted(source: ByteSource, kind: AudioKind, throwIfCancelled: () => void): Promise<Facts> {
  let facts: Facts | null = null;
  let frames = 0;
  const count = (pick: number | null) =>
    decode(
      source,
      kind,
      {
        begin: ({ rate, channels, timeReference }) => {
          facts = { title: null, rate, channels, frames: 0, timeReference, bpm: null };
          frames = 0;
          return (_left, _right, _offset, n) => void (frames += n);
        },
        progress: () => {
          throwIfCancelled();
          return true;
        },
      },
      pick,
    );
  let channels: number | null = null;
  try {
    await count(null);
  } catch (error) {
    if (!(error instanceof ManyChannels)) throw error;
    channels = error.channels;
    await count(0);
  }
  if (!facts) throw new MalformedFile("There is no audio in it");
  return { ...(facts as Facts), frames, ...(channels === null ? {} : { channels }) };
}

/** The first metadata block of a FLAC file; null where it does not say how long the file is. RFC 9639, 8.2. */
function streamInfo(source: ByteSource): Pick<Facts, "rate" | "channels" | "frames"> | null {
  if (source.size < 42) return null;
  const b = bytesAt(source, 0, 42);
  if (tagAt(b, 0) !== "fLaC" || ((b[4] as number) & 0x7f) !== 0) return null;
  const [x, y, z, w] = [18, 19, 20, 21].map((i) => b[i] as number) as [number, number, number, number];
  const rate = (x << 12) | (y << 4) | (z >> 4);
  const channels = ((z >> 1) & 7) + 1;
  const frames = (w & 15) * 2 ** 32 + new DataView(b.buffer).getUint32(22);
  return isUsableRate(rate) && frames > 0 ? { rate, channels, frames } : null;
}

const MOST_CHUNKS = 1000;

/** The tempo in a loop's `acid` chunk, where there is one. */
function acidTempo(source: ByteSource): number | null {
  for (let at = 12, n = 0; at + 8 <= source.size && n < MOST_CHUNKS; n++) {
    const head = bytesAt(source, at, 8);
    const size = new DataView(head.buffer).getUint32(4, true);
    if (tagAt(head, 0) === "acid" && size >= 24 && at + 32 <= source.size) {
      const bpm = new DataView(bytesAt(source, at + 8, 24).buffer).getFloat32(20, true);
      return Number.isFinite(bpm) && bpm >= 20 && bpm <= 400 ? Math.round(bpm * 1000) / 1000 : null;
    }
    at += 8 + size + (size % 2);
  }
  return null;
}

const HASHED = 1 << 20;
const GLANCED = 4096;
const GLANCES = 8;

/** Length and a few places of a source: what differs in them is not the same. */
export function glance(source: ByteSource): string {
  const hash = createHash("sha256");
  const length = Math.min(GLANCED, source.size);
  for (let i = 0; i < GLANCES; i++)
    hash.update(bytesAt(source, Math.floor(((source.size - length) * i) / (GLANCES - 1)), length));
  return `${source.size} ${hash.digest("hex")}`;
}

/** The hash of all of a source. */
export function hashOf(source: ByteSource, throwIfCancelled: () => void): string {
  const hash = createHash("sha256");
  const piece = new Uint8Array(Math.min(HASHED, Math.max(1, source.size)));
  for (let at = 0; at < source.size; at += HASHED) {
    const part = piece.subarray(0, Math.min(HASHED, source.size - at));
    source.read(at, part);
    hash.update(part);
    throwIfCancelled();
  }
  return hash.digest("hex");
}
