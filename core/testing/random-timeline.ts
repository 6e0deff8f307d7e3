import fc from "fast-check";
import type {
  FadeShape,
  Timeline,
  TimelineClip,
  TimelineFade,
  TimelineLane,
  TimelineMedia,
  TimelineTrack,
} from "../timeline/timeline";
import { FRAME_RATES, NO_FADE, plainTrack } from "../timeline/timeline";
import { hashOf } from "./listen";

/** Evenly spread in hundredths. */
const hundredths = (min: number, max: number) => fc.integer({ min: min * 100, max: max * 100 }).map((v) => v / 100);
const shapes = fc.constantFrom<FadeShape>("linear", "equal power", "S", "slow", "quick");
const names = fc.oneof(
  fc.constantFrom(
    "Vox",
    "Bass",
    "Kick <in>",
    "Gitarre & Geräusch",
    "ハイハット",
    'Quote "1"',
    "a/b",
    "tab\there",
    "ends  ",
  ),
  fc
    .string({ minLength: 1, maxLength: 20, unit: "grapheme" })
    .map((s) => s.replace(/[\u0000-\u001f\ufffe\uffff]/g, "") || "x"),
);

interface ClipParts {
  readonly name: string;
  readonly media: number;
  readonly isMono: boolean;
  readonly gap: number;
  readonly frames: number;
  readonly offset: number;
  readonly gainDb: number;
  readonly in: number;
  readonly out: number;
  readonly shape: FadeShape;
  readonly crossfades: boolean;
}

const clipParts = (longest: number): fc.Arbitrary<ClipParts> =>
  fc.record({
    name: names,
    media: fc.nat(9),
    isMono: fc.boolean(),
    gap: fc.oneof(fc.constant(0), fc.nat(longest)),
    frames: fc.integer({ min: 1, max: longest }),
    offset: fc.oneof(fc.constant(0), fc.nat(longest)),
    gainDb: fc.oneof(fc.constant(0), hundredths(-30, 12)),
    in: fc.oneof(fc.constant(0), hundredths(0, 1)),
    out: fc.oneof(fc.constant(0), hundredths(0, 1)),
    shape: shapes,
    crossfades: fc.boolean(),
  });

/** Clips in order, of which some crossfade with the one before. */
function clipsOf(parts: readonly ClipParts[], media: readonly TimelineMedia[]): readonly TimelineClip[] {
  const clips: TimelineClip[] = [];
  let at = 0;
  for (const p of parts) {
    const file = media[p.media % media.length] as TimelineMedia;
    const frames = Math.min(p.frames, file.frames);
    const last = clips.at(-1);
    const room = last ? Math.min(last.frames - last.fadeIn.frames, frames) - 1 : 0;
    const shared = last && p.crossfades && p.gap === 0 && room > 1 ? Math.max(1, Math.floor(room * p.in)) : 0;
    const fade = (length: number): TimelineFade => (length < 1 ? NO_FADE : { frames: length, shape: p.shape });
    const fadeIn = shared > 0 ? fade(shared) : fade(Math.floor(p.in * frames));
    if (last && shared > 0) clips[clips.length - 1] = { ...last, fadeOut: { frames: shared, shape: p.shape } };
    const start = shared > 0 ? at - shared : at + p.gap;
    clips.push({
      name: p.name,
      media: file.id,
      channel: p.isMono && file.channels === 2 ? 1 : null,
      start,
      frames,
      offset: Math.min(p.offset, file.frames - frames),
      gainDb: p.gainDb,
      fadeIn,
      fadeOut: fade(Math.floor(p.out * (frames - fadeIn.frames))),
      crossfade: shared > 0,
    });
    at = start + frames;
  }
  return clips;
}

const lanes = (sends: number): fc.Arbitrary<readonly TimelineLane[]> =>
  fc.uniqueArray(
    fc
      .record({
        target: fc.constantFrom<TimelineLane["target"]>("fader", "pan", "mute", "send"),
        points: fc.uniqueArray(
          fc.record({ frame: fc.nat(2_000_000), value: hundredths(0, 1), shape: fc.constantFrom("hold", "linear") }),
          { minLength: 1, maxLength: 6, selector: (p) => p.frame },
        ),
      })
      .map(({ target, points }): TimelineLane => ({
        target,
        send: target === "send" ? 0 : null,
        points: [...points]
          .sort((a, b) => a.frame - b.frame)
          .map(({ frame, value, shape }) => ({
            frame,
            value:
              target === "mute"
                ? Math.round(value)
                : target === "pan"
                  ? 2 * value - 1
                  : 0 - Math.round(3000 * value) / 100,
            shape: target === "mute" || shape === "hold" ? "hold" : "linear",
          })),
      }))
      .filter((l) => l.target !== "send" || sends > 0),
    { maxLength: 3, selector: (l) => l.target },
  );

/** Timelines of every shape that the neutral one can have, of up to `most` tracks. */
export const randomTimelines = ({ most = 5, longest = 200_000 } = {}): fc.Arbitrary<Timeline> =>
  fc
    .record({
      name: names,
      rate: fc.constantFrom(44100, 48000, 88200, 96000),
      start: fc.constantFrom(0, 0, 3600),
      media: fc.array(
        fc.record({
          name: names,
          frames: fc.integer({ min: 100, max: longest * 2 }),
          channels: fc.constantFrom(1, 2),
          ref: fc.boolean(),
        }),
        { minLength: 1, maxLength: 4 },
      ),
      tracks: fc.array(
        fc.record({
          name: names,
          kind: fc.constantFrom<TimelineTrack["kind"]>("audio", "audio", "audio", "notes"),
          clips: fc.array(clipParts(longest), { maxLength: 8 }),
          fader: fc.oneof(fc.constant(0), hundredths(-60, 6)),
          pan: fc.oneof(fc.constant(0), hundredths(-1, 1)),
          mute: fc.boolean(),
          group: fc.boolean(),
          send: fc.option(hundredths(-40, 6)),
          before: fc.boolean(),
          lanes: lanes(1),
          notes: fc.array(
            fc.record({
              tick: fc.nat(3800),
              ticks: fc.integer({ min: 1, max: 2000 }),
              pitch: fc.nat(127),
              velocity: fc.integer({ min: 1, max: 127 }),
            }),
            { maxLength: 12 },
          ),
        }),
        { minLength: 1, maxLength: most },
      ),
      tempo: fc.constantFrom(
        [{ tick: 0, bpm: 120, shape: "hold" as const }],
        [
          { tick: 0, bpm: 97.5, shape: "hold" as const },
          { tick: 3840, bpm: 140, shape: "hold" as const },
        ],
        [
          { tick: 0, bpm: 140, shape: "ramp" as const },
          { tick: 7680, bpm: 90, shape: "hold" as const },
        ],
      ),
      meter: fc.constantFrom(
        [{ bar: 1, numerator: 4, denominator: 4 as const }],
        [
          { bar: 1, numerator: 3, denominator: 4 as const },
          { bar: 3, numerator: 7, denominator: 8 as const },
        ],
      ),
      markers: fc.uniqueArray(fc.record({ name: names, frame: fc.nat(3_000_000) }), {
        maxLength: 4,
        selector: (m) => m.frame,
      }),
    })
    .map(({ name, rate, start, media: files, tracks, tempo, meter, markers }): Timeline => {
      const media = files.map((f, i): TimelineMedia => ({
        id: `m${i}`,
        name: f.name,
        frames: f.frames,
        rate,
        channels: f.channels,
        sha256: hashOf(i + 1),
        timeReference: f.ref ? 1000 * i : null,
        path: `Audio/file ${i}.wav`,
      }));
      const made = tracks.map((t, i): TimelineTrack => {
        const isNotes = t.kind === "notes";
        const clips = isNotes ? [] : clipsOf(t.clips, media);
        return plainTrack({
          id: `t${i}`,
          name: t.name,
          kind: t.kind,
          channels: clips.length > 0 && clips.every((c) => isMono(c, media)) ? 1 : 2,
          output: t.group ? "g" : null,
          faderDb: t.fader,
          pan: t.pan,
          mute: t.mute,
          clips,
          notes: isNotes ? [{ name: t.name, start: 1920 * i, ticks: 3840, notes: sorted(t.notes) }] : [],
          sends:
            t.send === null ? [] : [{ to: "r", gainDb: t.send, position: t.before ? "before fader" : "after fader" }],
          lanes: t.send === null ? t.lanes.filter((l) => l.target !== "send") : t.lanes,
        });
      });
      const used = new Set(made.flatMap((t) => t.clips.map((c) => c.media)));
      return {
        name,
        rate,
        startFrames: start * rate,
        frameRate: FRAME_RATES["25"],
        tempo,
        meter,
        leadIn: 0,
        markers: [...markers].sort((a, b) => a.frame - b.frame),
        media: media.filter((m) => used.has(m.id)),
        tracks: [
          ...made,
          plainTrack({ id: "g", name: "Group", kind: "group", faderDb: -1.5 }),
          plainTrack({ id: "r", name: "Hall", kind: "return" }),
          plainTrack({ id: "mix", name: "Mix", kind: "mix" }),
        ],
      };
    });

const isMono = (clip: TimelineClip, media: readonly TimelineMedia[]): boolean =>
  clip.channel !== null || media.find((m) => m.id === clip.media)?.channels === 1;

/** Notes in order; of two that would be the same pitch at once, the later one is left out. */
function sorted(notes: readonly { tick: number; ticks: number; pitch: number; velocity: number }[]) {
  const ends = new Map<number, number>();
  return [...notes]
    .sort((a, b) => a.tick - b.tick || a.pitch - b.pitch)
    .filter((n) => {
      if ((ends.get(n.pitch) ?? -1) >= n.tick) return false;
      ends.set(n.pitch, n.tick + n.ticks);
      return true;
    })
    .map((n) => ({ ...n, ticks: Math.min(n.ticks, 3840 - n.tick) }));
}
