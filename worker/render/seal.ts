import { createHash } from "node:crypto";
import { renameSync, rmSync, statSync } from "node:fs";
import { Resampler } from "../../core/analysis/resample";
import { AiffWriter } from "../../core/formats/aiff/write";
import type { ByteSink } from "../../core/formats/bytes/bytes";
import { FlacWriter } from "../../core/formats/flac/write";
import type { Mp3Encoder } from "../../core/formats/mp3/write";
import { MP3_KBPS, MP3_RATES, Mp3Writer } from "../../core/formats/mp3/write";
import { frameBytes } from "../../core/formats/wav/format";
import { WavReader } from "../../core/formats/wav/read";
import { WavWriter } from "../../core/formats/wav/write";
import type { Frames } from "../../core/units";
import { FileSink, FileSource } from "../../server/audio/file-bytes";
import { sha256OfFileNow } from "../../server/audio/files";
import type { Seal, SealOrder } from "../files/output-file";
import { sealing } from "../files/output-file";

/** Makes a finished WAV what it is to be, and takes its digest. */
export interface SealTask extends SealOrder {
  readonly kind: "seal";
  readonly path: string;
}

type Asked = Omit<SealTask, "kind">;
type Depth = "16" | "24" | "32f";

const PIECE: Frames = 16384;

/**
 * The last of a file: made what it is to be, and read for its digest while it is still in the system's cache. Its
 * samples stay those that were written, to the bit, in every format but MP3.
 */
export async function seal(asked: Asked): Promise<Seal> {
  const { path, make } = asked;
  const { frames, rate } = await remade(asked, make ? writers[make.as] : toWav);
  return { bytes: statSync(path).size, sha256: sha256OfFileNow(path), frames, rate };
}

/** What a finished file is written anew from, and where to. */
interface Remaking {
  readonly wav: WavReader;
  readonly depth: Depth;
  readonly channels: 1 | 2;
  readonly asked: Asked;
  readonly sink: ByteSink;
}
type Length = Pick<Seal, "frames" | "rate">;

async function remade(asked: Asked, write: (remaking: Remaking) => Length | Promise<Length>): Promise<Length> {
  const { path, fold, frames, make } = asked;
  const source = new FileSource(path);
  try {
    const wav = WavReader.open(source);
    const { rate, depth } = wav.format;
    if (depth === "32") throw new RangeError("prints are never 32-bit whole numbers");
    if (!make && !fold && frames === wav.frames) return { frames, rate };
    const other = sealing(path);
    const sink = new FileSink(other);
    try {
      const length = await write({ wav, depth, channels: fold ? 1 : wav.channels, asked, sink });
      sink.close();
      renameSync(other, path);
      return length;
    } catch (error) {
      sink.abandon();
      throw error;
    } finally {
      rmSync(other, { force: true });
    }
  } finally {
    source.close();
  }
}

function toWav({ wav, depth, channels, asked, sink }: Remaking): Length {
  const { rate } = wav.format;
  const writer = new WavWriter(sink, {
    format: { rate, depth, channels },
    bext: wav.bext,
    chunks: asked.chunks ?? [],
    ditherSeed: null,
  });
  forSamples(wav, asked.frames, (left, right, n) => writer.write(left, right, 0, n));
  writer.finish();
  return { frames: asked.frames, rate };
}

const writers: { readonly [F in NonNullable<Asked["make"]>["as"]]: (r: Remaking) => Length | Promise<Length> } = {
  aiff: ({ wav, depth, channels, asked, sink }) => {
    const { rate } = wav.format;
    const writer = new AiffWriter(sink, { rate, depth, channels }, asked.frames, labelOf(asked));
    forBytes(wav, asked, (bytes) => writer.write(bytes));
    writer.finish();
    return { frames: asked.frames, rate };
  },
  flac: ({ wav, depth, channels, asked, sink }) => {
    const { rate } = wav.format;
    if (depth === "32f") throw new RangeError("FLAC holds whole numbers");
    const md5 = createHash("md5");
    const writer = new FlacWriter(sink, { rate, depth, channels }, labelOf(asked), {
      update: (bytes) => void md5.update(bytes),
      digest: () => md5.digest(),
    });
    forBytes(wav, asked, (bytes) => writer.write(bytes));
    writer.finish();
    return { frames: asked.frames, rate };
  },
  mp3: async ({ wav, asked, sink }) => {
    const { rate } = wav.format;
    // Twice a rate that MP3 has is halved; what is above is not audible.
    const mp3Rate = MP3_RATES.find((r) => r === rate || 2 * r === rate);
    if (mp3Rate === undefined) throw new RangeError(`MP3 has no rate of ${rate} Hz`);
    const frames = Math.ceil((asked.frames * mp3Rate) / rate);
    const label = labelOf(asked);
    const marks = label.marks.map((m) => ({ ...m, frame: Math.round((m.frame * mp3Rate) / rate) }));
    const writer = new Mp3Writer(sink, mp3Rate, frames, { ...label, marks }, await mp3Encoder(mp3Rate));
    const put = (left: Float32Array, right: Float32Array, offset: number, n: Frames) =>
      writer.write(left.subarray(offset, offset + n), right.subarray(offset, offset + n));
    const resampler = mp3Rate === rate ? null : new Resampler(rate, mp3Rate, put);
    forSamples(wav, asked.frames, (left, right, n) =>
      resampler ? resampler.push(left, right, 0, n) : put(left, right, 0, n),
    );
    resampler?.finish(0);
    writer.finish();
    return { frames, rate: mp3Rate };
  },
};

function labelOf({ make }: Asked) {
  if (!make) throw new RangeError("a WAV has no label");
  return make.label;
}

function forSamples(
  wav: WavReader,
  frames: Frames,
  take: (left: Float32Array, right: Float32Array, n: Frames) => void,
) {
  const left = new Float32Array(PIECE);
  const right = new Float32Array(PIECE);
  for (let from = 0; from < frames; from += PIECE) {
    const n = Math.min(PIECE, frames - from);
    wav.read(from, n, left, right, 0);
    take(left, right, n);
  }
}

/** The samples as they lie in the file; of two channels that are the same, the left one. */
function forBytes(wav: WavReader, { frames, fold }: Asked, take: (bytes: Uint8Array) => void) {
  const size = frameBytes(wav.format);
  const one = size / 2;
  const bytes = new Uint8Array(PIECE * size);
  for (let from = 0; from < frames; from += PIECE) {
    const n = Math.min(PIECE, frames - from);
    const piece = bytes.subarray(0, n * size);
    wav.copy(from, piece);
    if (fold) for (let i = 1; i < n; i++) piece.copyWithin(i * one, i * size, i * size + one);
    take(fold ? piece.subarray(0, n * one) : piece);
  }
}

/** LAME, by its own measure of constant bit rate. */
async function mp3Encoder(rate: number): Promise<Mp3Encoder> {
  // It is a megabyte of memory that few threads need.
  const { createMp3Encoder } = await import("wasm-media-encoders");
  const encoder = await createMp3Encoder();
  encoder.configure({ sampleRate: rate, channels: 2, bitrate: MP3_KBPS });
  return {
    encode: (left, right) => encoder.encode([left, right]),
    finalize: () => encoder.finalize(),
  };
}
