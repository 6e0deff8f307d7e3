import { AiffReader } from "../../../core/formats/aiff/read";
import { WavChannels } from "../../../core/formats/wav/channels";
import type { Frames } from "../../../core/units";
import type { DecodeHooks, DecodedFormat, Reader } from "../reader";
import { reportPart, picked } from "../reader";

const FRAMES: Frames = 16384;

export const readWav: Reader = (source, hooks, pick) => {
  const wav = WavChannels.open(source);
  const timeReference = wav.bext?.timeReference ?? null;
  readThrough(wav, { rate: wav.rate, depth: wav.depth, timeReference }, hooks, pick);
};

export const readAiff: Reader = (source, hooks, pick) => {
  const aiff = AiffReader.open(source);
  const depth = aiff.float || aiff.bits > 24 ? "32f" : aiff.bits > 16 ? "24" : "16";
  readThrough(aiff, { rate: aiff.rate, depth, timeReference: aiff.timeReference }, hooks, pick);
};

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
    reportPart(hooks, (from + n) / file.frames);
  }
}
