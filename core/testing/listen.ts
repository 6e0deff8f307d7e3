import type { AudioReader } from "../audio/audio-reader";
import type { AudioLibrary } from "../engine/library";
import { MissingAudio } from "../engine/library";
import type { RenderRequest, Sink } from "../engine/render";
import { render, sessionEnd } from "../engine/render";
import type { Tap } from "../engine/tap";
import type { Reshape } from "../session/clips";
import type { Session } from "../session/document";
import { gainToDb } from "../math";
import { randomBipolar } from "../random";

/** Stereo audio held in memory. */
export interface Heard {
  readonly left: Float32Array;
  readonly right: Float32Array;
}

export const MIX_OUT: Tap = { kind: "mix", at: "after its chain" };
export const MIX_IN: Tap = { kind: "mix", at: "before its chain" };
export const tapAt = (
  at: "clip" | "devices" | "channel" | "group",
  ...sources: string[]
): Extract<Tap, { kind: "path" }> => ({ kind: "path", sources, at, returns: false, linked: false });

/** Renders taps into memory. */
export function listen(
  session: Session,
  taps: readonly Tap[],
  options: Partial<RenderRequest> & { library?: AudioLibrary } = {},
): readonly Heard[] {
  const parts = taps.map(() => ({ left: [] as Float32Array[], right: [] as Float32Array[] }));
  render({
    session,
    library: (hash) => {
      throw new MissingAudio(hash);
    },
    from: 0,
    to: sessionEnd(session),
    tail: "measured",
    ...options,
    taps: taps.map((tap, i) => ({
      tap,
      sink: (left, right, offset, count) => {
        parts[i]?.left.push(left.slice(offset, offset + count));
        parts[i]?.right.push(right.slice(offset, offset + count));
      },
    })),
  });
  return parts.map((p) => ({ left: joined(p.left), right: joined(p.right) }));
}

export function joined(parts: readonly Float32Array[]): Float32Array {
  const whole = new Float32Array(parts.reduce((n, p) => n + p.length, 0));
  let at = 0;
  for (const part of parts) {
    whole.set(part, at);
    at += part.length;
  }
  return whole;
}

/** All that is put into a sink. */
export function collected(fill: (sink: Sink) => void): Heard {
  const [left, right]: [Float32Array[], Float32Array[]] = [[], []];
  fill((l, r, offset, count) => {
    left.push(l.slice(offset, offset + count));
    right.push(r.slice(offset, offset + count));
  });
  return { left: joined(left), right: joined(right) };
}

/** Assets that live in memory, by hash; `reshaped` knows what they are as clips reshape them. */
export function memoryLibrary(
  assets: Readonly<Record<string, Heard>>,
  reshaped: (reshape: Reshape) => Heard = ({ asset }) => {
    throw new MissingAudio(asset);
  },
): AudioLibrary {
  return (hash, reshape = null): AudioReader => {
    const heard = reshape ? reshaped(reshape) : assets[hash];
    if (!heard) throw new MissingAudio(hash);
    return {
      frames: heard.left.length,
      channels: 2,
      read(from, count, left, right, offset) {
        left.set(heard.left.subarray(from, from + count), offset);
        right.set(heard.right.subarray(from, from + count), offset);
      },
    };
  };
}

/** White noise at a level, the same for the same seed. */
export function noise(frames: number, seed: number, level = 0.25): Heard {
  const make = (s: number) => Float32Array.from({ length: frames }, (_, i) => level * randomBipolar(s, i));
  return { left: make(seed), right: make(seed + 1) };
}

/** Peak of a - b over both channels in dB; pieces of unequal length differ by what one has more. */
export function differenceDb(a: Heard, b: Heard): number {
  let peak = 0;
  for (let i = 0; i < Math.max(a.left.length, b.left.length); i++) {
    peak = Math.max(
      peak,
      Math.abs((a.left[i] ?? 0) - (b.left[i] ?? 0)),
      Math.abs((a.right[i] ?? 0) - (b.right[i] ?? 0)),
    );
  }
  return gainToDb(peak);
}

export function sumOf(parts: readonly Heard[]): Heard {
  const frames = Math.max(...parts.map((p) => p.left.length));
  const add = (side: "left" | "right") =>
    Float32Array.from({ length: frames }, (_, i) => parts.reduce((sum, p) => sum + (p[side][i] ?? 0), 0));
  return { left: add("left"), right: add("right") };
}

export const peakDb = (h: Heard): number =>
  gainToDb(
    Math.max(
      h.left.reduce((m, v) => Math.max(m, Math.abs(v)), 0),
      h.right.reduce((m, v) => Math.max(m, Math.abs(v)), 0),
    ),
  );

/** A 64-digit stand-in for an audio hash. */
export const hashOf = (n: number): string => n.toString(16).padStart(64, "0");
