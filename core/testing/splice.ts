import { type Checkpoint, CheckpointMisfit } from "../engine/checkpoint";
import { DEFAULT_BLOCK } from "../engine/render";
import type { Tap } from "../engine/tap";
import { prefixFingerprint } from "../printing/fingerprint";
import type { Session } from "../session/document";
import type { Frames } from "../units";
import { same } from "./in-parts";
import type { Heard } from "./listen";
import { listen } from "./listen";
import { recordings as library } from "./random-session";

const EVERY = 4 * DEFAULT_BLOCK;

export interface Spliced {
  /** Frame that was rendered first. */
  readonly since: Frames;
  /** Which taps are not a whole render to the last bit. */
  readonly different: readonly number[];
}

/**
 * Renders an edited session from the last checkpoint of the session before at which both sound the same, behind what
 * was rendered before, and holds it to a whole render. Null where there is no such checkpoint.
 */
export function splice(session: Session, edited: Session, taps: readonly Tap[]): Spliced | null {
  const kept: Checkpoint[] = [];
  const before = listen(session, taps, { library, checkpoints: { every: EVERY, take: (c) => kept.push(c) } });
  const resume = kept.findLast(
    ({ clock }) => prefixFingerprint(session, taps, clock) === prefixFingerprint(edited, taps, clock),
  );
  if (!resume) return null;
  const since = resume.clock - resume.latency;
  const rest = goOn(edited, taps, resume);
  if (!rest) return { since: 0, different: [] };
  const different = listen(edited, taps, { library }).flatMap((whole, i) => {
    const [earlier, later] = [before[i], rest[i]];
    return earlier && later && same(whole, behind(earlier, since, later)) ? [] : [i];
  });
  return { since, different };
}

/** What a render gives from a checkpoint on; null where that is of other paths. */
function goOn(session: Session, taps: readonly Tap[], resume: Checkpoint): readonly Heard[] | null {
  try {
    return listen(session, taps, { library, resume });
  } catch (error) {
    if (error instanceof CheckpointMisfit) return null;
    throw error;
  }
}

const behind = (earlier: Heard, since: Frames, later: Heard): Heard => {
  const joined = (side: keyof Heard): Float32Array => {
    const all = new Float32Array(since + later[side].length);
    all.set(earlier[side].subarray(0, since));
    all.set(later[side], since);
    return all;
  };
  return { left: joined("left"), right: joined("right") };
};
