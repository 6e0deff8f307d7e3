import { flacTimeReference } from "../../../core/formats/flac/comments";
import { MalformedFile } from "../../../core/formats/bytes/bytes";
import type { Sink } from "../../../core/engine/render";
import type { Reader } from "../reader";
import { reportPart, picked } from "../reader";

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

export const readFlac: Reader = async (source, hooks, pick) => {
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
          timeReference: flacTimeReference(source),
        });
      });
    },
  );
  try {
    while (lib.FLAC__stream_decoder_get_state(decoder) < END_OF_STREAM) {
      if (!lib.FLAC__stream_decoder_process_single(decoder)) break;
      if (raised !== null) throw raised;
      if (fault !== null) throw new MalformedFile(`The audio in it cannot be decoded: ${fault as string}`);
      reportPart(hooks, at / source.size);
    }
    // Finishing compares with the checksum of all samples that the file carries.
    const whole = lib.FLAC__stream_decoder_finish(decoder);
    if (fault !== null || !sink)
      throw new MalformedFile(`The audio in it cannot be decoded: ${fault ?? "there is none"}`);
    if (!whole) throw new MalformedFile("The audio in it does not match its own checksum: the file is damaged");
  } finally {
    lib.FLAC__stream_decoder_delete(decoder);
  }
};
