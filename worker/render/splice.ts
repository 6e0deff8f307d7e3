import type { AudioReader } from "../../core/audio/audio-reader";
import type { Checkpoint } from "../../core/engine/checkpoint";
import { type AudioLibrary, MissingAudio } from "../../core/engine/library";
import { DEFAULT_BLOCK, type Sink } from "../../core/engine/render";
import { prefixFingerprint } from "../../core/printing/fingerprint";
import type { Session } from "../../core/session/document";
import type { Frames, Seconds } from "../../core/units";
import type { OutputFile } from "../files/output-file";
import { CheckpointWriter, latestCheckpoint, waitingPath } from "./checkpoints";
import type { Recorder } from "./recorder";

/** How far apart checkpoints are: eight bars at 120 beats a minute. */
const CHECKPOINT_S: Seconds = 16;
/** At most so many of one file: what was measured grows with it, and is in each of them. */
const MOST = 64;
const COPIED_AT_ONCE: Frames = 16_384;
/** Beside the parts of the graph in a checkpoint: what has been measured of the file so far. */
const MEASURED = "measured";

interface Splicing {
  readonly session: Session;
  readonly file: OutputFile;
  /** Of its checkpoints. */
  readonly lane: string;
  /** Where its audio goes, and what writes it at the end of that way. */
  readonly sink: Sink;
  readonly recorder: Recorder;
  /** First frame of the pass. */
  readonly passFrom: Frames;
  /** Where the content ends. */
  readonly to: Frames;
  readonly blockFrames: Frames | undefined;
  readonly library: AudioLibrary;
  readonly dataRoot: string;
}

/**
 * What takes checkpoints of the render of one file and goes on from the latest one that is known: what comes before is
 * given to its sink from the earlier file, so that everything behind the sink is as in a whole render.
 */
export function spliceOf({
  session,
  file,
  lane,
  sink,
  recorder,
  passFrom,
  to,
  blockFrames = DEFAULT_BLOCK,
  library,
  dataRoot,
}: Splicing) {
  const prefixAt = (clock: Frames) => prefixFingerprint(session, [file.tap], clock);
  const writer = new CheckpointWriter(waitingPath(file.path), prefixAt);
  const known = latestCheckpoint(dataRoot, lane, prefixAt);
  let since: Frames | null = null;
  const onResume = (first: Frames): boolean => {
    const before = known && audioOf(known.audio, library);
    if (!before || before.frames < first - passFrom) return false;
    const copy = () => {
      const [left, right] = [new Float32Array(COPIED_AT_ONCE), new Float32Array(COPIED_AT_ONCE)];
      for (let at = passFrom; at < first; at += COPIED_AT_ONCE) {
        const count = Math.min(COPIED_AT_ONCE, first - at);
        before.read(at - passFrom, count, left, right, 0);
        sink(left, right, 0, count);
      }
    };
    const measured = known?.checkpoint.state.get(MEASURED);
    if (!measured) return false;
    recorder.unmeasured(copy, measured);
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
