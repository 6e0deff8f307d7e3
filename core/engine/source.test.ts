import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { makeAudioClip, makeNoteClip, makeSession, makeTrack } from "../session/build";
import type { AudioClip } from "../session/document";
import { isPlaced } from "../session/clips";
import { hashOf, memoryLibrary } from "../testing/listen";
import { tempoMap } from "../time/tempo";
import { fadeGain } from "./fade";
import { audibleStretches, clipSource, contentEnd, frozenSource, playedNotes } from "./source";
import { Arena } from "../kernels/arena";
import { addressed } from "../kernels/kernels";

const FRAMES = 4000;
/** An asset whose every sample says where it is from. */
const ramp = {
  left: Float32Array.from({ length: FRAMES }, (_, i) => i / FRAMES),
  right: Float32Array.from({ length: FRAMES }, (_, i) => -i / FRAMES),
};
const library = memoryLibrary({ [hashOf(1)]: ramp });
const clip = (id: string, start: number, frames: number, more: Partial<AudioClip> = {}) =>
  makeAudioClip({ id, asset: hashOf(1), start, frames, ...more });
const track = (...clips: readonly AudioClip[]) => makeTrack({ id: "t", name: "T", kind: "audio", clips });
const play = (t: ReturnType<typeof track>, frames: number, block = 64, endAt?: number) => {
  const { source, l, r } = Arena.for((arena) => ({
    source: clipSource(t.clips, {
      arena,
      library,
      maxFrames: block,
      place: "clips",
      process: () => {
        throw new Error("no clip here has effects");
      },
      ...(endAt === undefined ? {} : { endAt }),
    }),
    l: arena.float32(block),
    r: arena.float32(block),
  }));
  const left = new Float32Array(frames);
  const right = new Float32Array(frames);
  const quiet: boolean[] = [];
  for (let at = 0; at < frames; at += block) {
    quiet.push(source.fill(l, r, block, at));
    left.set(l.subarray(0, Math.min(block, frames - at)), at);
    right.set(r.subarray(0, Math.min(block, frames - at)), at);
  }
  return { left, right, quiet };
};

describe("overlapping clips", () => {
  test("the later start wins, and the earlier one comes back after it", () => {
    const spans = audibleStretches([clip("long", 0, 1000), clip("short", 300, 200)]).map(({ from, to, clip: c }) => [
      from,
      to,
      c.id,
    ]);
    expect(spans).toEqual([
      [0, 300, "long"],
      [300, 500, "short"],
      [500, 1000, "long"],
    ]);
  });

  test("whatever overlaps, at every frame the clip that started last among those there sounds, once", () => {
    const clips = fc.array(fc.record({ start: fc.nat(300), frames: fc.integer({ min: 1, max: 200 }) }), {
      minLength: 1,
      maxLength: 7,
    });
    fc.assert(
      fc.property(clips, (list) => {
        const t = track(...list.map((c, i) => clip(`c${i}`, c.start, c.frames)));
        const spans = audibleStretches(t.clips.filter(isPlaced));
        for (let frame = 0; frame < 520; frame++) {
          const there = t.clips.filter(
            (c): c is AudioClip => c.kind === "audio" && c.start <= frame && frame < c.start + c.frames,
          );
          const last = there.reduce<AudioClip | null>((best, c) => (!best || c.start >= best.start ? c : best), null);
          const sounding = spans.filter((s) => s.from <= frame && frame < s.to);
          expect(sounding.length).toBe(last ? 1 : 0);
          if (last) expect(sounding[0]!.clip.start).toBe(last.start);
        }
      }),
      { numRuns: 60 },
    );
  });
});

describe("playing clips", () => {
  test("every frame is the asset's frame at the clip's offset, whatever the block", () => {
    const t = track(clip("a", 100, 500, { offset: 50 }), clip("b", 700, 200, { offset: 1000, gainDb: 0 }));
    const { left, right, quiet } = play(t, 1024);
    for (let f = 0; f < 1024; f++) {
      const wanted = f >= 100 && f < 600 ? ramp.left[f - 50]! : f >= 700 && f < 900 ? ramp.left[f + 300]! : 0;
      expect(left[f]).toBe(wanted);
      expect(Math.abs(right[f]!)).toBe(wanted);
    }
    expect(quiet.slice(0, 2)).toEqual([true, false]);
    expect(play(t, 1024, 256).left).toEqual(left);
  });

  test("nothing after the end of a range is played", () => {
    const { left } = play(track(clip("a", 0, 500), clip("b", 600, 300)), 1024, 64, 400);
    expect(left.subarray(400).every((v) => v === 0)).toBe(true);
    expect(left[399]).toBe(ramp.left[399]);
  });

  test("no fade is added: the first and the last frame are whole; declared fades shape only their own length", () => {
    const plain = play(track(clip("a", 0, 800, { offset: 500 })), 1024).left;
    expect([plain[0], plain[799], plain[800]]).toEqual([ramp.left[500], ramp.left[1299], 0]);
    const faded = play(
      track(
        clip("a", 0, 800, {
          offset: 500,
          fadeIn: { frames: 100, shape: "linear" },
          fadeOut: { frames: 50, shape: "S" },
        }),
      ),
      1024,
    ).left;
    expect(faded.slice(100, 750)).toEqual(plain.slice(100, 750));
    expect(faded[0]! / plain[0]!).toBeCloseTo(0.005, 6);
    expect(faded[799]! / plain[799]!).toBeLessThan(0.001);
  });

  test("two equal-power fades keep the power, two linear or S fades the amplitude", () => {
    for (let i = 0; i < 100; i++) {
      const gain = (shape: AudioClip["fadeIn"]["shape"], into: number) => fadeGain({ frames: 100, shape }, into);
      expect(gain("equal power", i) ** 2 + gain("equal power", 99 - i) ** 2).toBeCloseTo(1, 12);
      expect(gain("linear", i) + gain("linear", 99 - i)).toBeCloseTo(1, 12);
      expect(gain("S", i) + gain("S", 99 - i)).toBeCloseTo(1, 12);
    }
  });

  test("frozen audio plays from zero to its end and is silent after", () => {
    const source = frozenSource(library(hashOf(1)));
    const [l, r] = [addressed(new Float32Array(64)), addressed(new Float32Array(64))];
    expect(source.fill(l, r, 64, 3968)).toBe(false);
    expect([l[31], l[32]]).toEqual([ramp.left[3999], 0]);
    expect(source.fill(l, r, 64, 4032)).toBe(true);
  });
});

describe("playing notes", () => {
  const phrase = {
    id: "p",
    name: "P",
    ticks: 3840,
    notes: [0, 960, 1920, 2880].map((tick, i) => ({ tick, ticks: 1200, pitch: 60 + i, velocity: 100 })),
  };
  const tempo = tempoMap([{ tick: 0, bpm: 120, shape: "hold" }], 48000);
  const notes = (offset: number, ticks: number, startAt?: number, endAt?: number) => {
    const t = makeTrack({
      id: "i",
      name: "I",
      kind: "instrument",
      clips: [{ ...makeNoteClip("n", phrase, 1920), offset, ticks }],
    });
    const session = makeSession({ phrases: [phrase], tracks: [t, makeTrack({ id: "mix", name: "M", kind: "mix" })] });
    return playedNotes(session, t, tempo, startAt, endAt).map((n) => [n.start, n.frames, n.pitch]);
  };

  test("a clip is a window on its phrase: notes before it are not played, notes over its end are cut", () => {
    // 960 ticks at 120 bpm are 24,000 frames; the clip starts at tick 1920.
    expect(notes(0, 3840)).toEqual([
      [48000, 30000, 60],
      [72000, 30000, 61],
      [96000, 30000, 62],
      [120000, 24000, 63],
    ]);
    expect(notes(960, 1500)).toEqual([
      [48000, 30000, 61],
      [72000, 13500, 62],
    ]);
  });

  test("of a range only what sounds in it is played, and let go at its end", () => {
    expect(notes(0, 3840, 90000)).toEqual([
      [72000, 30000, 61],
      [96000, 30000, 62],
      [120000, 24000, 63],
    ]);
    expect(notes(0, 3840, 0, 80000)).toEqual([
      [48000, 30000, 60],
      [72000, 8000, 61],
    ]);
  });

  test("content ends with the last clip, not with the last note", () => {
    const t = makeTrack({ id: "i", name: "I", kind: "instrument", clips: [makeNoteClip("n", phrase, 0)] });
    expect(contentEnd(makeSession({ tracks: [t] }), t, tempo)).toBe(96000);
  });
});
