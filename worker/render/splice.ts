import type { AudioReader } from "../../core/audio/audio-reader";
import type { Checkpoint } from "../../core/engine/checkpoint";
import { type AudioLibrary, MissingAudio } from "../../core/engine/library";
import { DEFAULT_BLOCK } from "../../core/engine/render";
import { WavReader } from "../../core/formats/wav/read";
import type { PieceCutter } from "../../core/printing/cut";
import { prefixFingerprint } from "../../core/printing/fingerprint";
import type { Session } from "../../core/session/document";
import type { Frames, Seconds } from "../../core/units";
import type { OutputFile } from "../files/output-file";
import { CheckpointWriter, latestCheckpoint, waitingPath } from "./checkpoints";
import type { Recorder } from "./recorder";

/** How far apart checkpoints are: eight bars at 120 beats a minute. */
const CHECKPOINT_S: Seconds = 16;
/** Most checkpoints of one file: each holds what was measured so far, which grows with the file. */
const MOST = 64;
/** Beside the parts of the graph in a checkpoint: what has been measured of the file so far. */
const MEASURED = "measured";

interface Splicing {
  readonly session: Session;
  readonly file: OutputFile;
  /** Of its checkpoints. */
  readonly lane: string;
  /** What writes it, and what cuts it out of the pass. */
  readonly recorder: Recorder;
  readonly cutter: PieceCutter | null;
  /** First frame of the pass. */
  readonly passFrom: Frames;
  /** Where the content ends. */
  readonly to: Frames;
  readonly blockFrames: Frames | undefined;
  readonly library: AudioLibrary;
  readonly dataRoot: string;
  readonly cancelled: () => boolean;
}

/**
 * What takes checkpoints of the render of one file and goes on from the latest one that is known: what comes before is
 * copied from the earlier file, with what was measured of it, so that everything is as in a whole render.
 */
export function spliceOf({
  session,
  file,
  lane,
  recorder,
  cutter,
  passFrom,
  to,
  blockFrames = DEFAULT_BLOCK,
  library,
  dataRoot,
  cancelled,
}: Splicing) {
  const prefixAt = (clock: Frames) => prefixFingerprint(session, [file.tap], clock);
  const writer = new CheckpointWriter(waitingPath(file.path), prefixAt);
  const known = latestCheckpoint(dataRoot, lane, prefixAt);
  let since: Frames | null = null;
  const onResume = (first: Frames): boolean => {
    const before = known && audioOf(known.audio, library);
    const measured = known?.checkpoint.state.get(MEASURED);
    const count = first - passFrom;
    if (!(before instanceof WavReader) || !measured || before.frames < count || !recorder.takes(before)) return false;
    recorder.beginWith(before, count, measured, cancelled);
    cutter?.passed(count);
    since = first;
    return true;
  };
  return {
    writer,
    since: () => since,
    request: {
      ...(known ? { resume: known.checkpoint, onResume } : {}),
      checkpoints: {
        every: Math.ceil(Math.max(CHECKPOINT_S * session.rate, to / MOST) / blockFrames) * blockFrames,
        take: ({ state, ...place }: Checkpoint) =>
          writer.take({ ...place, state: new Map(state).set(MEASURED, recorder.measured()) }),
      },
    },
  };
}

/** Audio of the store, or null where it is not there any more. */
function audioOf(hash: string, library: AudioLibrary): AudioReader | null {
  try {
    return library(hash);
  } catch (error) {
    if (error instanceof MissingAudio) return null;
    throw error;
  }
}
