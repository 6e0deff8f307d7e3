import { makeSession, makeTrack } from "../session/build";
import type { AudioLibrary } from "./library";
import type { Sink } from "./render";
import { render } from "./render";
import type { AudioClip, Session } from "../session/document";
import type { Frames } from "../units";
import { PEAK_FRAMES, PeakPairs } from "../analysis/peaks";

/**
 * An overview of a clip as its own effects leave it, from its first frame on, before its gain and its fades (behind
 * them where its effects ring on: then with what rings). Pairs of signed bytes, one for every `PEAK_FRAMES` frames.
 */
export function clipOverview(
  session: Pick<Session, "rate" | "tempo" | "meter">,
  clip: AudioClip,
  library: AudioLibrary,
) {
  const pairs = new PeakPairs();
  let [low, high] = [0, 0];
  let filled: Frames = 0;
  renderAlone(session, clip, library, { frames: clip.frames, rings: clip.ringsOn }, (left, right, offset, count) => {
    for (let i = offset; i < offset + count; i++) {
      const [l, r] = [left[i] as number, right[i] as number];
      low = Math.min(low, l, r);
      high = Math.max(high, l, r);
      if (++filled < PEAK_FRAMES) continue;
      pairs.push(low, high);
      [low, high, filled] = [0, 0, 0];
    }
  });
  if (filled > 0) pairs.push(low, high);
  const bytes = new Int8Array(pairs.bytes());
  // Of what rings, as much as can be seen: rounded outwards, silence is a step of its own.
  let seen = bytes.length;
  while (seen > (2 * clip.frames) / PEAK_FRAMES && Math.max(-(bytes[seen - 2] ?? 0), bytes[seen - 1] ?? 0) <= 1)
    seen -= 2;
  return bytes.slice(0, seen);
}

/**
 * The samples of which `clipOverview` shows the extremes: `count` of each side, from a frame of the clip on; silence
 * where nothing sounds. What comes before is rendered too: effects remember it.
 */
export function clipSamples(
  session: Pick<Session, "rate" | "tempo" | "meter">,
  clip: AudioClip,
  library: AudioLibrary,
  from: Frames,
  count: Frames,
): { readonly left: Float32Array<ArrayBuffer>; readonly right: Float32Array<ArrayBuffer> } {
  const seen = { left: new Float32Array(count), right: new Float32Array(count) };
  let at: Frames = -from;
  renderAlone(session, clip, library, { frames: from + count, rings: false }, (left, right, offset, frames) => {
    const first = Math.max(0, -at);
    const last = Math.min(frames, count - at);
    if (first < last) {
      seen.left.set(left.subarray(offset + first, offset + last), at + first);
      seen.right.set(right.subarray(offset + first, offset + last), at + first);
    }
    at += frames;
  });
  return seen;
}

/** Renders frames of a clip alone, without its gain, and without its fades where they lie behind the effects. */
function renderAlone(
  session: Pick<Session, "rate" | "tempo" | "meter">,
  clip: AudioClip,
  library: AudioLibrary,
  { frames, rings }: { readonly frames: Frames; readonly rings: boolean },
  sink: Sink,
): void {
  const noFade = { frames: 0, shape: "linear" } as const;
  const bare: AudioClip = {
    ...{ ...clip, gainDb: 0, muted: false, crossfade: false, layered: false },
    ...(clip.ringsOn ? {} : { fadeIn: noFade, fadeOut: noFade }),
  };
  render({
    session: soloOf(session, bare),
    library,
    from: clip.start,
    to: clip.start + frames,
    tail: rings ? "measured" : "none",
    taps: [{ tap: { kind: "path", sources: ["clip"], at: "clip", returns: false, linked: false }, sink }],
  });
}

/** A session that holds a clip and nothing else. */
export function soloOf({ rate, tempo, meter }: Pick<Session, "rate" | "tempo" | "meter">, clip: AudioClip): Session {
  return makeSession({
    name: "",
    ...{ rate, tempo, meter },
    tracks: [
      makeTrack({ id: "clip", name: "", kind: "audio", output: "mix", clips: [clip] }),
      makeTrack({ id: "mix", name: "", kind: "mix" }),
    ],
  });
}
