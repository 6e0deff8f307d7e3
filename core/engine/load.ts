import type { Session } from "../session/document";
import { tempoMap } from "../time/tempo";
import type { Frames, Seconds } from "../units";
import { Arena } from "../kernels/arena";
import type { AudioLibrary } from "./library";
import { compile } from "./graph";
import { PLAYBACK_BLOCK, renderBlock, sessionEnd, spentByTrack } from "./render";
import { playedNotes } from "./source";

/** What a session costs to play: computing time over playing time, one core busy all the time is 1. */
export interface LoadReport {
  /** The stretch of the timeline that was measured. */
  readonly from: Frames;
  readonly frames: Frames;
  readonly total: number;
  /** By track id; a track that rests is missing. */
  readonly tracks: Readonly<Record<string, number>>;
}

const WINDOW_S: Seconds = 6;
const WARM_UP_S: Seconds = 1;
/**
 * Code that was just loaded is slow. So long it practises before anything counts, however little a session asks of it;
 * but no more than so many times over.
 */
const SETTLE_MS = 250;
const SETTLE_TURNS = 8;

/**
 * Plays the session's busiest seconds through the engine and times every node. `now` is a millisecond clock.
 * Throws `MissingAudio` or `BrokenDevice`.
 */
export function measureLoad(session: Session, library: AudioLibrary, now: () => number): LoadReport {
  const from = busiestStart(session, WINDOW_S);
  const begin = Math.max(0, from - WARM_UP_S * session.rate);
  const make = () =>
    Arena.for((arena) =>
      compile(
        session,
        [{ kind: "mix", at: "after its chain" }],
        { library, maxFrames: PLAYBACK_BLOCK, startAt: begin, pass: 0 },
        arena,
      ),
    );
  const blocks = (frames: Frames) => Math.ceil(frames / PLAYBACK_BLOCK);
  const warmUp = blocks(WARM_UP_S * session.rate);
  const settled = now() + SETTLE_MS;
  for (let turn = 0; turn < SETTLE_TURNS && now() < settled; turn++) {
    const practice = make();
    for (let b = 0; b < warmUp + blocks(WINDOW_S * session.rate) && now() < settled; b++)
      renderBlock(practice, begin + b * PLAYBACK_BLOCK, PLAYBACK_BLOCK);
  }
  const graph = make();
  let clock = begin;
  // What rings at the window's start has been excited before anything counts.
  for (let b = 0; b < warmUp; b++, clock += PLAYBACK_BLOCK) renderBlock(graph, clock, PLAYBACK_BLOCK);
  const count = blocks(WINDOW_S * session.rate);
  for (let b = 0; b < count; b++, clock += PLAYBACK_BLOCK) renderBlock(graph, clock, PLAYBACK_BLOCK, now);
  const frames = count * PLAYBACK_BLOCK;
  const millis = (frames / session.rate) * 1000;
  const tracks = Object.fromEntries([...spentByTrack(graph)].map(([id, spent]) => [id, spent / millis]));
  return { from, frames, total: Object.values(tracks).reduce((a, b) => a + b, 0), tracks };
}

/** Start of the stretch in which most notes and clips sound, on whole seconds. */
function busiestStart(session: Session, lengthS: Seconds): Frames {
  const tempo = tempoMap(session.tempo, session.rate);
  const seconds = Math.max(1, Math.ceil(sessionEnd(session) / session.rate));
  const busy = new Float64Array(seconds);
  const add = (from: Frames, frames: Frames) => {
    for (let s = Math.floor(from / session.rate); s < Math.min(seconds, (from + frames) / session.rate); s++)
      busy[s] = (busy[s] ?? 0) + 1;
  };
  for (const track of session.tracks) {
    if (track.parked || track.frozen) continue;
    for (const note of playedNotes(session, track, tempo)) add(note.start, note.frames);
    for (const clip of track.clips) if (clip.kind === "audio") add(clip.start, clip.frames);
  }
  let best = 0;
  let most = -1;
  for (let s = 0; s <= Math.max(0, seconds - lengthS); s++) {
    const sum = busy.subarray(s, s + lengthS).reduce((a, b) => a + b, 0);
    if (sum > most) {
      most = sum;
      best = s;
    }
  }
  return best * session.rate;
}
