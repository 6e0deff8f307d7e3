import { RenderCancelled } from "../../core/engine/render";
import { WavReader } from "../../core/formats/wav/read";
import { seedFrom } from "../../core/random";
import type { Frames } from "../../core/units";
import { FileSource } from "../../server/audio/file-bytes";
import { Recorder } from "./recorder";
import type { WrittenFile } from "../files/output-file";

/** Writes a stored file as another one; see its job. */
export interface SaveAudioTask {
  readonly kind: "save audio";
  readonly from: string;
  readonly to: string;
  readonly title: string;
  readonly song: string;
  readonly bpm: number;
  readonly date: string;
  readonly format: "wav" | "aiff" | "flac" | "mp3";
  readonly rate: number | null;
  readonly depth: "16" | "24" | "32f";
  readonly dither: boolean;
  readonly channels: "as it is" | "mono" | "stereo";
}

const BLOCK: Frames = 16384;

/** Writes a stored file at another rate, depth, number of channels or in another format. On an error none is left. */
export async function saveAudio(task: SaveAudioTask, progress: (done: Frames) => boolean): Promise<WrittenFile> {
  const { from, to, title, song, format, depth, channels } = task;
  const source = new FileSource(from);
  try {
    const wav = WavReader.open(source);
    const rate = task.rate ?? wav.format.rate;
    const isMono = channels === "mono" || (channels === "as it is" && wav.channels === 1);
    // MP3 is made of what the file is, without its depth.
    const written = format === "mp3" ? "32f" : depth;
    const bext = wav.bext && {
      ...wav.bext,
      description: title,
      timeReference: Math.round((wav.bext.timeReference * rate) / wav.format.rate),
    };
    const recorder = new Recorder(
      {
        path: to,
        format: { rate, channels: isMono ? 1 : 2, depth: written },
        ditherSeed: written === "16" && task.dither ? seedFrom(from) : null,
        bext,
        foldMono: false,
        ...(format === "wav"
          ? {}
          : {
              make: {
                as: format,
                label: {
                  title,
                  song,
                  number: 0,
                  date: task.date,
                  bpm: task.bpm,
                  timeReference: bext?.timeReference ?? 0,
                  marks: [],
                },
              },
            }),
      },
      wav.format.rate,
    );
    try {
      const [left, right] = [new Float32Array(BLOCK), new Float32Array(BLOCK)];
      for (let at = 0; at < wav.frames; at += BLOCK) {
        const n = Math.min(BLOCK, wav.frames - at);
        wav.read(at, n, left, right, 0);
        if (isMono && wav.channels === 2)
          for (let i = 0; i < n; i++) {
            const half = 0.5 * ((left[i] as number) + (right[i] as number));
            left[i] = half;
            right[i] = half;
          }
        recorder.sink(left, right, 0, n);
        if (!progress(at + n)) throw new RenderCancelled("Saving was cancelled.");
      }
      return await recorder.finish();
    } catch (error) {
      recorder.discard();
      throw error;
    }
  } finally {
    source.close();
  }
}
