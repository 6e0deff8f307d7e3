import type { ByteSource } from "../../../core/formats/bytes/bytes";
import { MalformedFile } from "../../../core/formats/bytes/bytes";
import { id3TimeReference } from "../../../core/formats/id3";
import { oggPages } from "../../../core/formats/ogg/pages";
import type { Sink } from "../../../core/engine/render";
import type { Frames } from "../../../core/units";
import type { DecodeHooks, Reader } from "../reader";
import { reportPart, picked } from "../reader";

/** How much a decoder is given at once. */
const BYTES = 1 << 16;

export const readMp3: Reader = async (source, hooks, pick) => {
  const { MPEGDecoder } = await import("mpg123-decoder");
  return decodeStream(source, { decoder: new MPEGDecoder(), parts: pieces(source) }, hooks, pick);
};

export const readVorbis: Reader = async (source, hooks, pick) => {
  const { OggVorbisDecoder } = await import("@wasm-audio-decoders/ogg-vorbis");
  return decodeStream(source, { decoder: new OggVorbisDecoder(), parts: together(oggPages(source)) }, hooks, pick);
};

export const readOpus: Reader = async (source, hooks, pick) => {
  const { OggOpusDecoder } = await import("ogg-opus-decoder");
  return decodeStream(source, { decoder: new OggOpusDecoder(), parts: together(oggPages(source)) }, hooks, pick);
};

function* pieces(source: ByteSource): Generator<Uint8Array> {
  for (let at = 0; at < source.size; at += BYTES) {
    const bytes = new Uint8Array(Math.min(BYTES, source.size - at));
    source.read(at, bytes);
    yield bytes;
  }
}

/** Pages are small: a decoder is given many at once. */
function* together(pages: Iterable<Uint8Array>): Generator<Uint8Array> {
  let kept: Uint8Array[] = [];
  let bytes = 0;
  for (const page of pages) {
    kept.push(page.slice());
    bytes += page.length;
    if (bytes < BYTES) continue;
    yield Buffer.concat(kept);
    [kept, bytes] = [[], 0];
  }
  if (bytes > 0) yield Buffer.concat(kept);
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
  readonly errors: readonly { readonly message: string; readonly outputSamples?: number }[];
}

/**
 * MP3, Vorbis and Opus: bytes in, samples out, with what the coders put in front and behind taken off again. A decoder
 * that stumbles goes on behind it, and all that follows would sound too early: audio after an error is refused.
 */
async function decodeStream(
  source: ByteSource,
  { decoder, parts }: { readonly decoder: StreamDecoder; readonly parts: Iterable<Uint8Array> },
  hooks: DecodeHooks,
  pick: number | null,
): Promise<void> {
  try {
    await decoder.ready;
    const timeReference = id3TimeReference(source, 0);
    let sink: Sink | null = null;
    let frames: Frames = 0;
    let rate = 0;
    /** Where the first error was, and what. */
    let stumbled: { readonly frame: Frames; readonly why: string } | null = null;
    const take = ({ channelData, samplesDecoded, sampleRate, errors }: Decoded) => {
      const [error] = errors;
      if (error && !stumbled) stumbled = { frame: error.outputSamples ?? frames, why: error.message };
      if (channelData.length > 0 && samplesDecoded > 0) {
        const [a, b] = picked(channelData.length, pick);
        const [left, right] = [channelData[a], channelData[b]];
        if (!left || !right) throw new MalformedFile("Its channels change on the way");
        rate = sampleRate;
        sink ??= hooks.begin({ rate, channels: a === b ? 1 : 2, depth: "32f", timeReference });
        sink(left, right, 0, samplesDecoded);
        frames += samplesDecoded;
      }
      // Errors behind all audio are of what others have put there.
      if (stumbled && frames === 0) throw new MalformedFile(`The audio in it cannot be decoded: ${stumbled.why}`);
      if (stumbled && frames > stumbled.frame)
        throw new MalformedFile(
          `The audio in it is damaged at ${(stumbled.frame / rate).toFixed(3)} s; what follows would sound too early`,
        );
    };
    let given = 0;
    for (const bytes of parts) {
      take(await ofDamage(() => decoder.decode(bytes)));
      given += bytes.length;
      reportPart(hooks, given / source.size);
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
