import { PI, cos, dbToGain, sin } from "../math";
import type { AudioClip, Fade, Session, Track } from "../session/document";
import type { TempoMap } from "../time/tempo";
import type { Frames } from "../units";
import type { PlayedNote } from "../devices/device";
import type { AudioLibrary, AudioReader } from "./audio-reader";

/** What starts a path: fills a block and says whether it is silent. */
export interface Source {
  fill(left: Float32Array, right: Float32Array, frames: Frames, at: Frames): boolean;
}

/** A stretch of the timeline on which one clip sounds. */
interface Stretch {
  readonly from: Frames;
  readonly to: Frames;
  readonly clip: AudioClip;
  readonly reader: AudioReader;
  readonly gain: number;
}

/** Plays the audio clips of a track. Where two overlap, the one that starts later sounds; no fade is added. */
export function clipSource(track: Track, library: AudioLibrary, endAt: Frames = Infinity): Source {
  const stretches = audibleStretches(track).filter(({ from }) => from < endAt).map(
    ({ from, to, clip }): Stretch => ({ from, to: Math.min(to, endAt), clip, reader: library(clip.asset), gain: dbToGain(clip.gainDb) }),
  );
  let first = 0;
  let last = -1;
  return {
    fill(left, right, frames, at) {
      if (at < last) first = 0;
      last = at;
      let silent = true;
      left.fill(0, 0, frames);
      right.fill(0, 0, frames);
      for (let s = first; s < stretches.length; s++) {
        const stretch = stretches[s] as Stretch;
        if (stretch.to <= at) {
          first = s + 1;
          continue;
        }
        if (stretch.from >= at + frames) break;
        const from = Math.max(stretch.from, at);
        const to = Math.min(stretch.to, at + frames);
        stretch.reader.read(stretch.clip.offset + from - stretch.clip.start, to - from, left, right, from - at);
        shape(stretch, left, right, from, to, at);
        silent = false;
      }
      return silent;
    },
  };
}

function shape({ clip, gain }: Stretch, left: Float32Array, right: Float32Array, from: Frames, to: Frames, at: Frames): void {
  if (gain !== 1) {
    for (let i = from - at; i < to - at; i++) {
      left[i] = (left[i] as number) * gain;
      right[i] = (right[i] as number) * gain;
    }
  }
  const fadeInEnd = Math.min(to, clip.start + clip.fadeIn.frames);
  for (let f = from; f < fadeInEnd; f++) scale(left, right, f - at, fadeGain(clip.fadeIn, f - clip.start));
  const end = clip.start + clip.frames;
  for (let f = Math.max(from, end - clip.fadeOut.frames); f < to; f++) scale(left, right, f - at, fadeGain(clip.fadeOut, end - 1 - f));
}

function scale(left: Float32Array, right: Float32Array, i: number, gain: number): void {
  left[i] = (left[i] as number) * gain;
  right[i] = (right[i] as number) * gain;
}

/** Gain of a fade `into` frames from its silent end. */
export function fadeGain(fade: Fade, into: Frames): number {
  const x = (into + 0.5) / fade.frames;
  switch (fade.shape) {
    case "linear": return x;
    case "equal power": return sin((PI / 2) * x);
    case "S": return 0.5 - 0.5 * cos(PI * x);
  }
}

/** Cuts overlapping clips so that at every frame at most one sounds: the one that started last. */
export function audibleStretches(track: Track): readonly { readonly from: Frames; readonly to: Frames; readonly clip: AudioClip }[] {
  const clips = track.clips.filter((c) => c.kind === "audio");
  const byStart = clips.map((clip, order) => ({ clip, order })).sort((a, b) => a.clip.start - b.clip.start || a.order - b.order);
  const open: { from: Frames; to: Frames; clip: AudioClip }[] = [];
  for (const { clip } of byStart) {
    const end = clip.start + clip.frames;
    for (let i = open.length - 1; i >= 0; i--) {
      const before = open[i];
      if (!before || before.to <= clip.start || before.from >= end) continue;
      // An earlier clip that outlasts this one comes back after it.
      if (before.to > end) open.splice(i + 1, 0, { from: end, to: before.to, clip: before.clip });
      before.to = Math.max(before.from, Math.min(before.to, clip.start));
      if (before.to <= before.from) open.splice(i, 1);
    }
    open.push({ from: clip.start, to: end, clip });
    open.sort((a, b) => a.from - b.from);
  }
  return open;
}

/** Plays a frozen track's audio from the timeline's zero. */
export function frozenSource(reader: AudioReader, endAt: Frames = Infinity): Source {
  const end = Math.min(reader.frames, endAt);
  return {
    fill(left, right, frames, at) {
      const count = Math.max(0, Math.min(frames, end - at));
      if (count > 0) reader.read(at, count, left, right, 0);
      left.fill(0, count, frames);
      right.fill(0, count, frames);
      return count === 0;
    },
  };
}

/** The notes an instrument track plays between two frames, in frames, sorted; cut at the ends of their clips and at the end. */
export function playedNotes(session: Session, track: Track, tempo: TempoMap, startAt: Frames = 0, endAt: Frames = Infinity): readonly PlayedNote[] {
  const phrases = new Map(session.phrases.map((p) => [p.id, p]));
  const notes: PlayedNote[] = [];
  for (const clip of track.clips) {
    if (clip.kind !== "notes") continue;
    for (const note of phrases.get(clip.phrase)?.notes ?? []) {
      const into = note.tick - clip.offset;
      if (into < 0 || into >= clip.ticks) continue;
      const start = tempo.toFrames(clip.start + into);
      const end = Math.min(endAt, tempo.toFrames(clip.start + Math.min(into + note.ticks, clip.ticks)));
      if (start >= endAt || end < startAt) continue;
      notes.push({ start, frames: Math.max(1, end - start), pitch: note.pitch, velocity: note.velocity });
    }
  }
  return notes.sort((a, b) => a.start - b.start || a.pitch - b.pitch || a.velocity - b.velocity);
}

/** First frame after everything placed on a track: its clips, or its frozen audio. */
export function contentEnd(session: Session, track: Track, tempo: TempoMap): Frames {
  if (track.frozen) {
    const asset = track.frozen.asset;
    return session.assets.find((a) => a.id === asset)?.frames ?? 0;
  }
  return track.clips.reduce((end, c) => Math.max(end, c.kind === "audio" ? c.start + c.frames : tempo.toFrames(c.start + c.ticks)), 0);
}
