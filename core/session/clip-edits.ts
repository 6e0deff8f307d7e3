import type { TempoMap } from "../time/tempo";
import type { Frames } from "../units";
import { clipSpan } from "./clips";
import type { Clip, Fade, Track } from "./document";
import type { Edit } from "./edits";
import type { Checked } from "./problem";
import { refuse } from "./problem";

const NO_FADE: Fade = { frames: 0, shape: "linear" };

/**
 * Cuts a clip in two at a frame of the timeline, so that a track of audio sounds as before (unless the clip has effects of its own, which begin anew
 * with the second piece; notes end at the cut). Refuses a cut outside the clip, inside a fade, or under another clip, where it would be heard.
 */
export function splitClip(track: Track, clip: Clip, at: Frames, tempo: TempoMap, id: string): Checked<readonly Edit[]> {
  const name = clip.name || "the clip";
  const { from, to } = clipSpan(clip, tempo);
  if (at <= from || at >= to) return refuse("at", `The playhead is not inside ${name}`);
  const index = track.clips.indexOf(clip);
  let first: Record<string, unknown>;
  let second: Clip;
  if (clip.kind === "notes") {
    const ticks = Math.round(tempo.toTicks(at)) - clip.start;
    if (ticks <= 0 || ticks >= clip.ticks) return refuse("at", `The playhead is not inside ${name}`);
    first = { ticks };
    second = { ...clip, id, start: clip.start + ticks, offset: clip.offset + ticks, ticks: clip.ticks - ticks };
  } else {
    const frames = at - clip.start;
    if (frames < clip.fadeIn.frames || clip.frames - frames < clip.fadeOut.frames) return refuse("at", `The cut would lie in a fade of ${name}: shorten the fade first`);
    const over = track.clips.find((c) => c !== clip && c.kind !== "notes" && c.start >= clip.start && c.start < at && c.start + c.frames > at);
    if (over) return refuse("at", `"${over.name || "Another clip"}" lies over the cut: what is under it would come to the top`);
    first = { frames, fadeOut: NO_FADE };
    second = { ...clip, id, start: at, offset: clip.offset + frames, frames: clip.frames - frames, fadeIn: NO_FADE, crossfade: false };
  }
  return {
    ok: true,
    value: [
      { do: "set", in: "clips", track: track.id, id: clip.id, patch: first },
      { do: "add", in: "clips", track: track.id, item: { ...second }, index: index + 1 },
    ],
  };
}

/** Puts a copy of a clip on a track, beginning at a frame of the timeline. Refuses notes on an audio track and audio on an instrument. */
export function placeCopy(clip: Clip, track: Track, at: Frames, tempo: TempoMap, id: string): Checked<readonly Edit[]> {
  const wanted = clip.kind === "notes" ? "instrument" : "audio";
  if (track.kind !== wanted) return refuse("track", `${clip.kind === "notes" ? "Notes play" : "Audio plays"} on ${wanted === "audio" ? "an audio" : "an instrument"} track`);
  if (track.frozen) return refuse("track", "The track is frozen: unfreeze it to edit");
  const copy: Clip = clip.kind === "notes" ? { ...clip, id, start: Math.round(tempo.toTicks(at)) } : { ...clip, id, start: at };
  return { ok: true, value: [{ do: "add", in: "clips", track: track.id, item: { ...copy }, index: track.clips.length }] };
}
