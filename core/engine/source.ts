import { dbToGain } from "../math";
import { clipSpan, isPlaced, isRinging, placedNotes, reshapeOf } from "../session/clips";
import type { AudioClip, Clip, Device, PlacedClip, Session, Track } from "../session/document";
import type { TempoMap } from "../time/tempo";
import type { Frames } from "../units";
import type { PlayedNote } from "../devices/device";
import { QUANTUM } from "../devices/device";
import type { AudioReader } from "../audio/audio-reader";
import { fade } from "./fade";
import type { AudioLibrary } from "./library";
import type { Arena } from "../kernels/arena";
import type { Floats, Kernels } from "../kernels/kernels";

/** What starts a path: fills a block and says whether it is silent. */
export interface Source {
  fill(left: Floats, right: Floats, frames: Frames, at: Frames): boolean;
}

/** The frames a clip plays, before its gain and fades; frame 0 is the clip's first. Read forwards. */
interface Material {
  read(from: Frames, count: Frames, left: Floats, right: Floats, offset: number): void;
  /** Nothing is read for a while. */
  rest(): void;
  /** Frames behind the clip's end that may still sound. */
  readonly rings: Frames;
}

/** A stretch of the timeline on which one clip sounds. */
interface Part {
  readonly from: Frames;
  /** Where it is silent again: the end of its audible part, later where its effects ring on. */
  to: Frames;
  readonly clip: PlacedClip;
  readonly material: Material;
  readonly gain: number;
}

export interface ClipSourceOptions {
  readonly arena: Arena;
  readonly library: AudioLibrary;
  readonly maxFrames: Frames;
  /** Nothing before this frame is ever asked for. */
  readonly startAt?: Frames;
  /** Nothing sounds from this frame on. */
  readonly endAt?: Frames;
  /**
   * Timeline frame of the zero that starts count from, for clips in a nest: effects follow the timeline's tempo,
   * wherever they are kept.
   */
  readonly origin?: Frames;
  /** The effects of a clip, ready to run. `place`: see below. */
  readonly process: (devices: readonly Device[], place: string) => ClipChain;
  /** What clips lie in: with its id and where it begins to sound, a clip has a name that no other has. */
  readonly place: string;
}

/**
 * Plays the placed clips of a track. Where two overlap, the one that starts later sounds, but for a crossfade; no fade
 * is added.
 */
export function clipSource(clips: readonly Clip[], options: ClipSourceOptions): Source {
  const player = new ClipPlayer(clips.filter(isPlaced), options);
  return { fill: (left, right, frames, at) => player.fill(left, right, 0, frames, at) };
}

class ClipPlayer {
  private readonly parts: readonly Part[];
  private readonly arena: Arena;
  private readonly scratchLeft: Floats;
  private readonly scratchRight: Floats;
  private first = 0;
  private last = -1;

  constructor(clips: readonly PlacedClip[], options: ClipSourceOptions) {
    const { arena, endAt = Infinity, maxFrames } = options;
    this.arena = arena;
    this.parts = audibleStretches(clips)
      .filter(({ from }) => from < endAt)
      .map(({ from, to, clip }): Part => ({
        from,
        to: Math.min(to, endAt),
        clip,
        material: materialOf(clip, { ...options, place: `${options.place}/${clip.id}@${from}` }),
        gain: dbToGain(clip.gainDb),
      }));
    for (const part of this.parts)
      // What is cut off by another clip, or by the end of a range, ends there with all that rings.
      if (part.to === part.clip.start + part.clip.frames) part.to += part.material.rings;
    let reach = 0;
    let adds = false;
    for (const { from, to } of this.parts) {
      adds ||= from < reach;
      reach = Math.max(reach, to);
    }
    this.scratchLeft = arena.float32(adds ? maxFrames : 0);
    this.scratchRight = arena.float32(adds ? maxFrames : 0);
  }

  /** Writes timeline frames `at` to `at + frames` from `offset` on; returns whether they are silent. */
  fill(left: Floats, right: Floats, offset: number, frames: Frames, at: Frames): boolean {
    if (at < this.last) this.first = 0;
    this.last = at;
    const { kernels } = this.arena;
    let silent = true;
    /** Everything before this frame is written; parts begin in rising order. */
    let written = at;
    for (let p = this.first; p < this.parts.length; p++) {
      const part = this.parts[p] as Part;
      if (part.to <= at) {
        if (p === this.first) {
          this.first = p + 1;
          part.material.rest();
        }
        continue;
      }
      if (part.from >= at + frames) break;
      const from = Math.max(part.from, at);
      const to = Math.min(part.to, at + frames);
      const base = offset - at;
      if (from >= written) {
        if (from > written) {
          left.fill(0, base + written, base + from);
          right.fill(0, base + written, base + from);
        }
        part.material.read(from - part.clip.start, to - from, left, right, base + from);
        shape(part, kernels, left, right, from, to, base);
      } else {
        const { scratchLeft, scratchRight } = this;
        part.material.read(from - part.clip.start, to - from, scratchLeft, scratchRight, 0);
        shape(part, kernels, scratchLeft, scratchRight, from, to, -from);
        const both = Math.min(to, written);
        for (let f = from; f < both; f++) {
          left[base + f] = (left[base + f] as number) + (scratchLeft[f - from] as number);
          right[base + f] = (right[base + f] as number) + (scratchRight[f - from] as number);
        }
        for (let f = both; f < to; f++) {
          left[base + f] = scratchLeft[f - from] as number;
          right[base + f] = scratchRight[f - from] as number;
        }
      }
      written = Math.max(written, to);
      silent = false;
    }
    if (written < at + frames) {
      left.fill(0, offset + written - at, offset + frames);
      right.fill(0, offset + written - at, offset + frames);
    }
    return silent;
  }

  rest(): void {
    for (const part of this.parts) part.material.rest();
  }
}

function materialOf(clip: PlacedClip, options: ClipSourceOptions): Material {
  if (clip.kind === "nest") {
    // The nest's own part ends where it must; its children keep their own time.
    const player = new ClipPlayer(clip.children, {
      ...options,
      startAt: (options.startAt ?? 0) - clip.start + clip.offset,
      endAt: Infinity,
      origin: (options.origin ?? 0) + clip.start - clip.offset,
    });
    return {
      read: (from, count, left, right, offset) => void player.fill(left, right, offset, count, clip.offset + from),
      rest: () => player.rest(),
      rings: 0,
    };
  }
  const window = windowOf(clip, options.library);
  return clip.process.some((d) => d.on)
    ? new ProcessedMaterial(
        window,
        clip,
        options.process(clip.process, options.place),
        (options.startAt ?? 0) - clip.start,
        options.origin ?? 0,
      )
    : window;
}

function windowOf(clip: AudioClip, library: AudioLibrary): Material {
  const reshape = reshapeOf(clip);
  const audio = library(clip.asset, reshape);
  const rest = () => audio.rest?.();
  if (reshape || !clip.reverse)
    return {
      rest,
      rings: 0,
      read: (from, count, left, right, offset) => audio.read(clip.offset + from, count, left, right, offset),
    };
  return {
    rest,
    rings: 0,
    read(from, count, left, right, offset) {
      audio.read(audio.frames - clip.offset - from - count, count, left, right, offset);
      left.subarray(offset, offset + count).reverse();
      right.subarray(offset, offset + count).reverse();
    },
  };
}

/** Effects of one clip, run a quantum at a time. */
export interface ClipChain {
  /** How far it has come: frames of the clip that have gone in. Kept with the state of its devices. */
  readonly cursor: { fed: Frames };
  readonly latency: Frames;
  /** How long they may ring after the clip. */
  readonly tail: Frames;
  /** Processes one quantum in place; `at` is the timeline frame of its first frame as it enters. */
  run(left: Floats, right: Floats, at: Frames): void;
  /** Buffers of one quantum that the devices can work on. */
  readonly left: Floats;
  readonly right: Floats;
}

/**
 * A clip's window through its own effects, their latency removed. The effects start with the clip and run on its own
 * grid, whatever is read.
 */
class ProcessedMaterial implements Material {
  /**
   * `first`: the first frame of the clip that may be asked for. `origin`: timeline frame of the zero that the clip's
   * start counts from.
   */
  constructor(
    private readonly window: Material,
    private readonly clip: AudioClip,
    private readonly chain: ClipChain,
    first: Frames,
    private readonly origin: Frames,
  ) {
    this.fed = Math.max(0, Math.floor(first / QUANTUM) * QUANTUM);
  }

  /** Frames of the window that have gone in. */
  private get fed(): Frames {
    return this.chain.cursor.fed;
  }
  private set fed(frames: Frames) {
    this.chain.cursor.fed = frames;
  }

  get rings(): Frames {
    return this.clip.ringsOn ? this.chain.tail : 0;
  }

  rest(): void {
    this.window.rest();
  }

  read(from: Frames, count: Frames, left: Floats, right: Floats, offset: number): void {
    const { chain } = this;
    // The output of frame n leaves the chain when frame n + latency enters it.
    let wanted = from + chain.latency;
    const end = wanted + count;
    if (wanted < this.fed - QUANTUM) throw new RangeError("a clip with effects is read forwards");
    while (wanted < end) {
      if (wanted >= this.fed) {
        this.feed();
        continue;
      }
      const start = wanted - (this.fed - QUANTUM);
      const n = Math.min(end - wanted, QUANTUM - start);
      left.set(chain.left.subarray(start, start + n), offset + wanted - from - chain.latency);
      right.set(chain.right.subarray(start, start + n), offset + wanted - from - chain.latency);
      wanted += n;
    }
  }

  private feed(): void {
    const { chain, clip, origin } = this;
    const n = Math.max(0, Math.min(QUANTUM, clip.frames - this.fed));
    if (n > 0) this.window.read(this.fed, n, chain.left, chain.right, 0);
    chain.left.fill(0, n);
    chain.right.fill(0, n);
    if (clip.ringsOn) fade(clip, chain.left, chain.right, this.fed, this.fed + n, -this.fed);
    chain.run(chain.left, chain.right, origin + clip.start + this.fed);
    this.fed += QUANTUM;
  }
}

/** Gain and fades on the frames `from` to `to` of a part; frame f of the timeline stands at `base + f`. */
function shape(
  { clip, gain }: Part,
  kernels: Kernels,
  left: Floats,
  right: Floats,
  from: Frames,
  to: Frames,
  base: number,
): void {
  if (gain !== 1) {
    amplify(kernels, left, gain, base + from, base + to);
    amplify(kernels, right, gain, base + from, base + to);
  }
  // What rings on has been faded in front of its effects.
  if (isRinging(clip)) return;
  fade(clip, left, right, from - clip.start, to - clip.start, base + clip.start);
}

function amplify({ scale }: Kernels, x: Floats, gain: number, from: number, to: number): void {
  // The kernel takes four at a time.
  const fours = to - ((to - from) % 4);
  scale(x.address + 4 * from, x.address + 4 * from, gain, fours - from);
  for (let i = fours; i < to; i++) x[i] = (x[i] as number) * gain;
}

/**
 * Cuts overlapping clips so that at every frame the one that started last sounds, and beside it only what it fades in
 * over, or is layered upon.
 */
export function audibleStretches(
  clips: readonly PlacedClip[],
): readonly { readonly from: Frames; readonly to: Frames; readonly clip: PlacedClip }[] {
  const byStart = clips
    .filter((clip) => !clip.muted)
    .map((clip, order) => ({ clip, order }))
    .sort((a, b) => a.clip.start - b.clip.start || a.order - b.order);
  const open: { from: Frames; to: Frames; clip: PlacedClip }[] = [];
  for (const { clip } of byStart) {
    const end = clip.start + clip.frames;
    const shared = clip.crossfade ? clip.fadeIn.frames : 0;
    for (let i = open.length - 1; i >= 0 && !clip.layered; i--) {
      const before = open[i];
      if (!before || before.to <= clip.start || before.from >= end) continue;
      // An earlier clip that outlasts this one comes back after it.
      if (before.to > end) open.splice(i + 1, 0, { from: end, to: before.to, clip: before.clip });
      before.to = Math.max(before.from, Math.min(before.to, clip.start + shared));
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

/**
 * The notes an instrument track plays between two frames, in frames, sorted; cut at the ends of their clips and at the
 * end.
 */
export function playedNotes(
  session: Session,
  track: Track,
  tempo: TempoMap,
  startAt: Frames = 0,
  endAt: Frames = Infinity,
): readonly PlayedNote[] {
  const phrases = new Map(session.phrases.map((p) => [p.id, p]));
  const notes: PlayedNote[] = [];
  for (const clip of track.clips) {
    const phrase = clip.kind === "notes" ? phrases.get(clip.phrase) : undefined;
    if (clip.kind !== "notes" || !phrase || clip.muted) continue;
    for (const { start: startTick, end: endTick, pitch, velocity } of placedNotes(clip, phrase)) {
      const start = tempo.toFrames(startTick);
      const end = Math.min(endAt, tempo.toFrames(endTick));
      if (start >= endAt || end < startAt) continue;
      notes.push({ start, frames: Math.max(1, end - start), pitch, velocity });
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
  return track.clips.reduce((end, c) => (c.muted ? end : Math.max(end, clipSpan(c, tempo).to)), 0);
}
