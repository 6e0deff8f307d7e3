import { WavReader } from "../../core/formats/wav/read";
import type { Alignment } from "../../core/interchange/answers";
import { align } from "../../core/mending/align";
import { judgeSet } from "../../core/mending/judge-set";
import type { Judged, SetFile } from "../../core/mending/set";
import { FileSource } from "../../server/audio/file-bytes";
import { DecodeCancelled } from "../import/reader";
import type { StatedTempo } from "../../core/mending/judge-set";

/** Measures how a file lies to another of the same rate that it should be like. */
export interface AlignTask {
  readonly kind: "align";
  readonly file: string;
  readonly sent: string;
}

/** Judges files of one rate as a set of stems. */
export interface JudgeTask {
  readonly kind: "judge";
  readonly files: readonly (Omit<SetFile, "audio"> & { readonly stored: string })[];
  readonly mix: string | null;
  readonly rate: number;
  readonly tempo: StatedTempo;
}

/** Judges files that were brought to one rate as a set of stems. */
export function judge({ files, mix, rate, tempo }: JudgeTask, progress: (part: number) => boolean): Judged {
  const open: FileSource[] = [];
  try {
    const set = files.map(({ stored, ...facts }): SetFile => {
      const source = new FileSource(stored);
      open.push(source);
      return { ...facts, audio: WavReader.open(source) };
    });
    return judgeSet(
      set.filter((f) => f.path !== mix),
      set.find((f) => f.path === mix) ?? null,
      {
        rate,
        tempo,
        onProgress: (part) => {
          if (!progress(part)) throw new DecodeCancelled("Checking was cancelled.");
        },
      },
    );
  } finally {
    for (const source of open) source.close();
  }
}

/** How a file lies to what was sent, both WAV files of one rate. */
export function alignFiles({ file, sent }: AlignTask): Alignment | null {
  const open = [new FileSource(file), new FileSource(sent)] as const;
  try {
    return align(WavReader.open(open[0]), WavReader.open(open[1]));
  } finally {
    for (const source of open) source.close();
  }
}
