import { AiffReader } from "../../core/formats/aiff/read";
import type { ByteSource } from "../../core/formats/bytes/bytes";
import { MalformedFile } from "../../core/formats/bytes/bytes";
import { isUsableRate } from "../../core/formats/rates";
import { WavChannels } from "../../core/formats/wav/channels";
import type { Sink } from "../../core/engine/render";
import type { Frames } from "../../core/units";
import type { AudioKind } from "./sniff";

/** What is known of a file before its first sample. */
export interface DecodedFormat {
  readonly rate: number;
  readonly channels: 1 | 2;
  /** The whole-number depth that holds every sample exactly, or float. */
  readonly depth: "16" | "24" | "32f";
  readonly timeReference: Frames | null;
}

export interface DecodeHooks {
  /** Called once, with the format; answers with where the audio goes. A mono file's samples come in both channels. */
  begin(format: DecodedFormat): Sink;
  /** Part of the file that is done, 0 to 1; answering false cancels, which `decode` throws on. */
  progress(part: number): boolean;
}

export class DecodeCancelled extends Error {
  override readonly name = "DecodeCancelled";
}

const BYTES = 1 << 16;
const FRAMES: Frames = 16384;

/** A file of more than two channels, of which one has to be picked at a time. */
export class ManyChannels extends Error {
  override readonly name = "ManyChannels";
  constructor(readonly channels: number) {
    super(`The file has ${channels} channels.`);
  }
}

/**
 * Decodes a file from its first sample to its last. `pick`: the one channel that is wanted of a file that has more than
 * two; both channels of the sink are it then. Throws `MalformedFile`, `ManyChannels` where none was picked, or
 * `DecodeCancelled`.
 */
export async function decode(
  source: ByteSource,
  kind: AudioKind,
  hooks: DecodeHooks,
  pick: number | null = null,
): Promise<void> {
  const checked: DecodeHooks = { ...hooks, begin: (format) => finite(hooks.begin(usable(format))) };
  switch (kind) {
    case "wav": {
      const wav = WavChannels.open(source);
      return readThrough(
        wav,
        { rate: wav.rate, depth: wav.depth, timeReference: wav.bext?.timeReference ?? null },
        checked,
        pick,
      );
    }
    case "aiff": {
      const aiff = AiffReader.open(source);
      return readThrough(
        aiff,
        {
          rate: aiff.rate,
          depth: aiff.float || aiff.bits > 24 ? "32f" : aiff.bits > 16 ? "24" : "16",
          timeReference: null,
        },
        checked,
        pick,
      );
    }
    case "flac":
      return decodeFlac(source, checked, pick);
    case "mp3": {
      const { MPEGDecoder } = await import("mpg123-decoder");
      return decodeStream(source, new MPEGDecoder(), checked, pick);
    }
    case "vorbis": {
      const { OggVorbisDecoder } = await import("@wasm-audio-decoders/ogg-vorbis");
      return decodeStream(source, new OggVorbisDecoder(), checked, pick);
    }
    case "opus": {
      const { OggOpusDecoder } = await import("ogg-opus-decoder");
      return decodeStream(source, new OggOpusDecoder(), checked, pick);
    }
  }
}

/** A rate outside all reason is a damaged header; nothing is computed with it. */
function usable(format: DecodedFormat): DecodedFormat {
  if (!isUsableRate(format.rate)) throw new MalformedFile(`The rate of ${format.rate} Hz is not usable`);
  return format;
}

/** What is no number would be blamed on a device later. */
function finite(sink: Sink): Sink {
  let frame = 0;
  return (left, right, offset, count) => {
    for (let i = offset; i < offset + count; i++) {
      // The sum of both is finite if they are; of two that are not it is not.
      if (!Number.isFinite((left[i] as number) + (right[i] as number)))
        throw new MalformedFile(`The sample at frame ${frame + i - offset} is not a number`);
    }
    frame += count;
    sink(left, right, offset, count);
  };
}

/** Which two channels of so many go out: both, the only one twice, or the picked one twice. */
function picked(channels: number, pick: number | null): readonly [a: number, b: number] {
  if (channels <= 2) return [0, channels - 1];
  if (pick === null) throw new ManyChannels(channels);
  return [pick, pick];
}

interface Readable {
  readonly channels: number;
  readonly frames: Frames;
  read(
    from: Frames,
    count: Frames,
    left: Float32Array,
    right: Float32Array,
    offset: number,
    a: number,
    b: number,
  ): void;
}

function readThrough(
  file: Readable,
  format: Omit<DecodedFormat, "channels">,
  hooks: DecodeHooks,
  pick: number | null,
): void {
  const [a, b] = picked(file.channels, pick);
  const sink = hooks.begin({ ...format, channels: a === b ? 1 : 2 });
  const left = new Float32Array(FRAMES);
  const right = new Float32Array(FRAMES);
  for (let from = 0; from < file.frames; from += FRAMES) {
    const n = Math.min(FRAMES, file.frames - from);
    file.read(from, n, left, right, 0, a, b);
    sink(left, right, 0, n);
    goOn(hooks, (from + n) / file.frames);
  }
}

function goOn(hooks: DecodeHooks, part: number): void {
  if (!hooks.progress(part)) throw new DecodeCancelled("Bringing in was cancelled.");
}

interface StreamDecoder {
  readonly ready: Promise<void>;
  decode(bytes: Uint8Array): Decoded | Promise<Decoded>;
  flush?(): Decoded | Promise<Decoded>;
  free(): void;
}

interface Decoded {
  readonly channelData: readonly Float32Array[];
  readonly samplesDecoded: number;
  readonly sampleRate: number;
  readonly errors: readonly { readonly message: string }[];
}

/** MP3, Vorbis and Opus: bytes in, samples out, with what the coders put in front and behind taken off again. */
async function decodeStream(
  source: ByteSource,
  decoder: StreamDecoder,
  hooks: DecodeHooks,
  pick: number | null,
): Promise<void> {
  try {
    await decoder.ready;
    let sink: Sink | null = null;
    const take = ({ channelData, samplesDecoded, sampleRate, errors }: Decoded) => {
      if (channelData.length === 0 || samplesDecoded === 0) {
        if (errors.length > 0 && !sink)
          throw new MalformedFile(`The audio in it cannot be decoded: ${errors[0]?.message ?? "it is damaged"}`);
        return;
      }
      const [a, b] = picked(channelData.length, pick);
      const [left, right] = [channelData[a], channelData[b]];
      if (!left || !right) throw new MalformedFile("Its channels change on the way");
      sink ??= hooks.begin({ rate: sampleRate, channels: a === b ? 1 : 2, depth: "32f", timeReference: null });
      sink(left, right, 0, samplesDecoded);
    };
    for (let at = 0; at < source.size; at += BYTES) {
      const bytes = new Uint8Array(Math.min(BYTES, source.size - at));
      source.read(at, bytes);
      take(await ofDamage(() => decoder.decode(bytes)));
      goOn(hooks, (at + bytes.length) / source.size);
    }
    take(await ofDamage(() => decoder.flush?.() ?? NOTHING));
    if (!sink) throw new MalformedFile("There is no audio in it that can be decoded");
  } finally {
    letGo(decoder);
  }
}

/** A decoder that a damaged file has broken may fail at being let go, too; its memory goes with the thread then. */
function letGo(decoder: StreamDecoder): void {
  try {
    decoder.free();
  } catch {
    // What was wrong with the file has been said already.
  }
}

const NOTHING: Decoded = { channelData: [], samplesDecoded: 0, sampleRate: 0, errors: [] };

/** What a decoder stumbles over is in the file: whatever it throws is the file's fault. */
async function ofDamage<T>(work: () => T | Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (error) {
    throw new MalformedFile(
      `The audio in it cannot be decoded: ${error instanceof Error ? error.message : String(error)}`,
    );
  }
}

/** The part of libFLAC's interface that is used here; its own declarations leave the module's default out. */
interface Flac {
  isReady(): boolean;
  on(event: "ready", then: () => void): void;
  create_libflac_decoder(verify: boolean): number;
  init_decoder_stream(
    decoder: number,
    read: (bytes: number) => { readonly buffer: Uint8Array; readonly readDataLength: number; readonly error: boolean },
    write: (
      channels: readonly Uint8Array[],
      frame: { readonly blocksize: number; readonly bitsPerSample: number },
    ) => void,
    error: (code: number, description: string) => void,
    metadata: (info: {
      readonly sampleRate: number;
      readonly channels: number;
      readonly bitsPerSample: number;
    }) => void,
  ): number;
  FLAC__stream_decoder_get_state(decoder: number): number;
  FLAC__stream_decoder_process_single(decoder: number): boolean;
  FLAC__stream_decoder_finish(decoder: number): boolean;
  FLAC__stream_decoder_delete(decoder: number): void;
}

const END_OF_STREAM = 4;

let flac: Promise<Flac> | null = null;

/**
 * libFLAC takes itself for a page's script where it sees `fetch`, and fails to find its own file; so it must not see it
 * while it loads.
 */
function loadFlac(): Promise<Flac> {
  flac ??= (async () => {
    const hidden = globalThis.fetch;
    Reflect.deleteProperty(globalThis, "fetch");
    try {
      const imported = (await import("libflacjs/dist/libflac.min.wasm.js")) as unknown as { default: Flac };
      const loaded = imported.default;
      if (!loaded.isReady()) await new Promise<void>((ready) => loaded.on("ready", ready));
      return loaded;
    } finally {
      globalThis.fetch = hidden;
    }
  })();
  return flac;
}

async function decodeFlac(source: ByteSource, hooks: DecodeHooks, pick: number | null): Promise<void> {
  const lib = await loadFlac();
  const decoder = lib.create_libflac_decoder(true);
  let at = 0;
  let sink: Sink | null = null;
  let fault: string | null = null;
  /** Thrown inside a callback of the library, which nothing may be thrown through. */
  let raised: unknown = null;
  const guarded = (work: () => void) => {
    try {
      if (raised === null) work();
    } catch (error) {
      raised = error;
    }
  };
  let channelsOut: readonly [a: number, b: number] = [0, 0];
  const left = new Float32Array(65536);
  const right = new Float32Array(65536);
  const samples = (bytes: Uint8Array, bits: number, count: number, into: Float32Array) => {
    // Up to 16 bits come as two bytes a sample, more as four.
    const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
    const scale = 2 ** (1 - bits);
    for (let i = 0; i < count; i++)
      into[i] =
        (bits <= 8 ? view.getInt8(i) : bits <= 16 ? view.getInt16(i * 2, true) : view.getInt32(i * 4, true)) * scale;
  };
  lib.init_decoder_stream(
    decoder,
    (wanted) => {
      const buffer = new Uint8Array(Math.min(wanted, source.size - at));
      source.read(at, buffer);
      at += buffer.length;
      return { buffer, readDataLength: buffer.length, error: false };
    },
    (channels, { blocksize, bitsPerSample }) => {
      guarded(() => {
        const [a, b] = channelsOut;
        const [l, r] = [channels[a], channels[b]];
        if (!l || !r || !sink || fault !== null) return;
        samples(l, bitsPerSample, blocksize, left);
        if (a !== b) samples(r, bitsPerSample, blocksize, right);
        sink(left, a === b ? left : right, 0, blocksize);
      });
    },
    (_code, description) => {
      fault ??= description;
    },
    ({ sampleRate, channels, bitsPerSample }) => {
      guarded(() => {
        if (sink) return;
        channelsOut = picked(channels, pick);
        sink = hooks.begin({
          rate: sampleRate,
          channels: channelsOut[0] === channelsOut[1] ? 1 : 2,
          depth: bitsPerSample > 24 ? "32f" : bitsPerSample > 16 ? "24" : "16",
          timeReference: null,
        });
      });
    },
  );
  try {
    while (lib.FLAC__stream_decoder_get_state(decoder) < END_OF_STREAM) {
      if (!lib.FLAC__stream_decoder_process_single(decoder)) break;
      if (raised !== null) throw raised;
      if (fault !== null) throw new MalformedFile(`The audio in it cannot be decoded: ${fault as string}`);
      goOn(hooks, at / source.size);
    }
    // Finishing compares with the checksum of all samples that the file carries.
    const whole = lib.FLAC__stream_decoder_finish(decoder);
    if (fault !== null || !sink)
      throw new MalformedFile(`The audio in it cannot be decoded: ${fault ?? "there is none"}`);
    if (!whole) throw new MalformedFile("The audio in it does not match its own checksum: the file is damaged");
  } finally {
    lib.FLAC__stream_decoder_delete(decoder);
  }
}
