import type { ByteSource } from "../../../core/formats/bytes/bytes";
import { MalformedFile } from "../../../core/formats/bytes/bytes";
import { id3TimeReference } from "../../../core/formats/id3";
import type { Sink } from "../../../core/engine/render";
import type { DecodeHooks, Reader } from "../reader";
import { goOn, picked } from "../reader";

const BYTES = 1 << 16;

export const readMp3: Reader = async (source, hooks, pick) => {
  const { MPEGDecoder } = await import("mpg123-decoder");
  return decodeStream(source, new MPEGDecoder(), hooks, pick);
};

export const readVorbis: Reader = async (source, hooks, pick) => {
  const { OggVorbisDecoder } = await import("@wasm-audio-decoders/ogg-vorbis");
  return decodeStream(source, new OggVorbisDecoder(), hooks, pick);
};

export const readOpus: Reader = async (source, hooks, pick) => {
  const { OggOpusDecoder } = await import("ogg-opus-decoder");
  return decodeStream(source, new OggOpusDecoder(), hooks, pick);
};

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
    const timeReference = id3TimeReference(source, 0);
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
      sink ??= hooks.begin({ rate: sampleRate, channels: a === b ? 1 : 2, depth: "32f", timeReference });
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
