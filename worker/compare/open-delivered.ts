import { rmSync } from "node:fs";
import type { AudioReader } from "../../core/audio/audio-reader";
import { AiffReader } from "../../core/formats/aiff/read";
import type { ByteSource } from "../../core/formats/bytes/bytes";
import { MalformedFile } from "../../core/formats/bytes/bytes";
import { WavReader } from "../../core/formats/wav/read";
import { WavWriter } from "../../core/formats/wav/write";
import type { Manifest } from "../../core/delivery/manifest";
import type { Frames } from "../../core/units";
import { FileSink, FileSource } from "../../server/audio/file-bytes";
import { decode, sniff } from "../import/decode";
import type { DecodedFormat } from "../import/reader";

/** A delivered file's audio, whatever its format, and what the file says of it. */
export interface DeliveredAudio {
  readonly audio: AudioReader;
  readonly rate: number;
  readonly depth: string;
  readonly timeReference: Frames | null;
}

/**
 * Opens one file of a package by the format that it has. What is compressed is decoded to `scratch` first, which
 * `close` removes. Throws `MalformedFile` for a file that is another format than was promised, or is broken.
 */
export async function openDelivered(
  source: ByteSource,
  promised: Manifest["files"][number]["format"],
  scratch: string,
): Promise<DeliveredAudio & { close(): void }> {
  const kind = sniff(source);
  if (kind !== promised) throw new MalformedFile(`It is ${kind}, and ${promised} was promised`, 0);
  if (promised === "wav") {
    const wav = WavReader.open(source);
    return of(wav, wav.format.rate, wav.format.depth, wav.bext?.timeReference ?? null);
  }
  if (promised === "aiff") {
    const aiff = AiffReader.open(source);
    if (aiff.channels > 2) throw new MalformedFile(`It has ${aiff.channels} channels`);
    const audio: AudioReader = {
      frames: aiff.frames,
      channels: aiff.channels === 1 ? 1 : 2,
      read: (from, count, left, right, offset) => aiff.read(from, count, left, right, offset),
    };
    return of(audio, aiff.rate, aiff.float ? `${aiff.bits}f` : String(aiff.bits), aiff.timeReference);
  }
  return decoded(source, promised, scratch);
}

const of = (audio: AudioReader, rate: number, depth: string, timeReference: Frames | null) => ({
  audio,
  rate,
  depth,
  timeReference,
  close: () => undefined,
});

async function decoded(source: ByteSource, kind: "flac" | "mp3", scratch: string) {
  let format: DecodedFormat | null = null;
  const sink = new FileSink(scratch);
  try {
    let writer: WavWriter | null = null;
    await decode(source, kind, {
      begin: (found) => {
        format = found;
        const { rate, channels } = found;
        const opened = (writer = new WavWriter(sink, {
          format: { rate, channels, depth: "32f" },
          bext: null,
          ditherSeed: null,
        }));
        return opened.write.bind(opened);
      },
      progress: () => true,
    });
    (writer as WavWriter | null)?.finish();
    sink.close();
  } catch (error) {
    sink.abandon();
    rmSync(scratch, { force: true });
    throw error;
  }
  const { rate, depth, timeReference } = format ?? fail();
  const file = new FileSource(scratch);
  return {
    audio: WavReader.open(file),
    rate,
    depth: kind === "mp3" ? "mp3" : depth,
    timeReference,
    close: () => {
      file.close();
      rmSync(scratch, { force: true });
    },
  };
}

function fail(): never {
  throw new MalformedFile("There is no audio in it");
}
