import { createHash } from "node:crypto";
import { copyFileSync, rmSync } from "node:fs";
import { Meter } from "../../core/analysis/measure";
import { WavReader } from "../../core/formats/wav/read";
import type { Bext } from "../../core/formats/wav/format";
import type { Frames } from "../../core/units";
import { FileSink, FileSource, PieceSource } from "../../server/audio/file-bytes";
import { sha256OfFileNow } from "../../server/audio/files";
import { Recorder } from "../render/recorder";
import type { ByteSource } from "../../core/formats/bytes/bytes";
import { MalformedFile } from "../../core/formats/bytes/bytes";
import { decode, sniff } from "./decode";
import type { DecodedFormat } from "./reader";
import { ManyChannels } from "./reader";
import type { PieceOfFile } from "../../server/audio/file-bytes";
import type { WrittenFile } from "../files/output-file";

/** Makes a file that was sent into one the engine reads. */
export interface ImportTask {
  readonly kind: "import";
  /** A file, or a part of one. */
  readonly from: string | PieceOfFile;
  /** The one channel that is wanted, from 0; without it all. */
  readonly pick?: number;
  readonly to: string;
  readonly name: string;
  /** The session's; null: as it is. */
  readonly rate: number | null;
}

export interface ImportedFile {
  /** The file's, with the channel's number where it is one of several. */
  readonly name: string;
  readonly file: WrittenFile;
  /** What the file was, at which rate and depth, before. */
  readonly kind: string;
  readonly rate: number;
  readonly depth: "16" | "24" | "32f";
  readonly timeReference: Frames | null;
}

/**
 * Makes an imported file one that the engine reads: a WAV file at the session's rate. A WAV file at
 * that rate stays as it is, byte for byte; whole-number audio of that rate stays exact; the rest is converted and kept
 * as float. Of a file with more than two channels each becomes a mono file of its own. Throws `MalformedFile`, or
 * `DecodeCancelled`; no file is left behind then.
 */
export async function importFile(
  task: ImportTask,
  progress: (part: number) => boolean,
): Promise<readonly ImportedFile[]> {
  if (task.pick !== undefined) return [await importChannels(task, task.pick, progress)];
  try {
    return [await importChannels(task, null, progress)];
  } catch (error) {
    if (!(error instanceof ManyChannels)) throw error;
    const made: ImportedFile[] = [];
    try {
      for (let c = 0; c < error.channels; c++) {
        const to = `${task.to}.${c + 1}`;
        made.push(
          await importChannels({ ...task, to, name: `${task.name} ${c + 1}` }, c, (part) =>
            progress((c + part) / error.channels),
          ),
        );
      }
      return made;
    } catch (fault) {
      for (const { file } of made) rmSync(file.path, { force: true });
      throw fault;
    }
  }
}

async function importChannels(
  { from, to, rate: asked, name }: ImportTask,
  pick: number | null,
  progress: (part: number) => boolean,
): Promise<ImportedFile> {
  const source = typeof from === "string" ? new FileSource(from) : new PieceSource(from);
  let recorder: Recorder | null = null;
  try {
    const kind = sniff(source);
    let found: DecodedFormat | null = null;
    let meter: Meter | null = null;
    let frames: Frames = 0;
    // Of one that stays as it is, known when it is decoded.
    let rate = asked ?? 0;
    const asItIs = kind === "wav" && isPlain(source, asked, pick);
    await decode(
      source,
      kind,
      {
        progress,
        begin: (format) => {
          found = format;
          rate = asked ?? format.rate;
          if (asItIs) {
            const measuring = (meter = new Meter(rate));
            return (left, right, offset, count) => {
              measuring.push(left, right, offset, count);
              frames += count;
            };
          }
          const depth = format.rate === rate ? format.depth : "32f";
          const made = (recorder = new Recorder(
            // An MP3 decoder always answers with two channels; a mono file's are equal.
            {
              path: to,
              format: { rate, channels: format.channels, depth },
              ditherSeed: null,
              bext: stamp(name, placeAt(format, rate)),
              foldMono: kind === "mp3",
            },
            format.rate,
          ));
          return made.sink;
        },
      },
      pick,
    );
    if (!found) throw new Error("a file was decoded without a format");
    const format: DecodedFormat = found;
    const facts = { name, kind, rate: format.rate, depth: format.depth, timeReference: placeAt(format, rate) };
    if (recorder) {
      const written = await (recorder as Recorder).finish();
      recorder = null;
      return { ...facts, file: written };
    }
    const sha256 = typeof from === "string" ? copied(from, to) : written(source, to);
    const wav = WavReader.open(source);
    const measures = (meter ?? new Meter(rate)) as Meter;
    return {
      ...facts,
      file: {
        path: to,
        format: wav.format,
        frames,
        bytes: source.size,
        sha256,
        measures: measures.finish(wav.format.channels),
        overview: measures.overview(),
      },
    };
  } catch (error) {
    (recorder as Recorder | null)?.discard();
    rmSync(to, { force: true });
    throw error;
  } finally {
    source.close();
  }
}

function copied(from: string, to: string): string {
  copyFileSync(from, to);
  return sha256OfFileNow(to);
}

const PIECE_BYTES = 1 << 20;

/** Writes all of a source to a new file; answers with its hash. */
function written(source: ByteSource, to: string): string {
  const hash = createHash("sha256");
  const sink = new FileSink(to);
  try {
    const piece = new Uint8Array(Math.min(PIECE_BYTES, Math.max(1, source.size)));
    for (let at = 0; at < source.size; at += PIECE_BYTES) {
      const part = piece.subarray(0, Math.min(PIECE_BYTES, source.size - at));
      source.read(at, part);
      hash.update(part);
      sink.write(part);
    }
    sink.close();
    return hash.digest("hex");
  } catch (error) {
    sink.abandon();
    throw error;
  }
}

/** A WAV file that the engine reads as it is; of one of two channels not one alone. */
function isPlain(source: ByteSource, rate: number | null, pick: number | null): boolean {
  try {
    const { format } = WavReader.open(source);
    return (rate === null || format.rate === rate) && (pick === null || format.channels === 1);
  } catch (error) {
    if (error instanceof MalformedFile) return false;
    throw error;
  }
}

/** A file's place on the timeline at the session's rate. */
const placeAt = ({ timeReference, rate }: DecodedFormat, at: number): Frames | null =>
  timeReference === null ? null : Math.round((timeReference * at) / rate);

const stamp = (name: string, timeReference: Frames | null): Bext | null =>
  timeReference === null
    ? null
    : {
        description: name,
        originator: "Stemzo",
        originatorReference: "",
        originationDate: "",
        originationTime: "",
        timeReference,
        loudness: null,
      };
