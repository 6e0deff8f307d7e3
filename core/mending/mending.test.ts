import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { Meter } from "../analysis/measure";
import type { AudioReader } from "../audio/audio-reader";
import { randomBipolar } from "../random";
import { undrifted } from "./drift";
import { judgeSet } from "./judge-set";
import type { SetFile, SetFinding } from "./set";
import { share } from "../../tests/setup/share";

const RATE = 48000;

interface Sound {
  readonly left: Float32Array;
  readonly right: Float32Array;
}

/** Filtered noise that comes and goes, or a decaying tone: no two alike. */
function stem(seed: number, frames: number): Sound {
  const make = (s: number) => {
    const out = new Float32Array(frames);
    const smooth = 0.02 + 0.3 * Math.abs(randomBipolar(seed, 1));
    let y = 0;
    for (let i = 0; i < frames; i++) {
      const beat = Math.floor((i + 1000 * seed) / 12000);
      const env = randomBipolar(seed + 77, beat) > -0.2 ? Math.exp(-((i + 1000 * seed) % 12000) / 5000) : 0;
      y += smooth * (randomBipolar(s, i) - y);
      out[i] = 0.5 * y * env * Math.sqrt(1 / smooth);
    }
    return out;
  };
  const [left, side] = [make(seed), make(seed + 1000)];
  return { left, right: left.map((v, i) => 0.7 * v + 0.4 * (side[i] as number)) };
}

const readerOf = ({ left, right }: Sound, channels: 1 | 2 = 2): AudioReader => ({
  frames: left.length,
  channels,
  read(from, count, l, r, offset) {
    l.set(left.subarray(from, from + count), offset);
    r.set(right.subarray(from, from + count), offset);
  },
});

function file(path: string, sound: Sound, more: Partial<SetFile> = {}): SetFile {
  const meter = new Meter(RATE);
  meter.push(sound.left, sound.right, 0, sound.left.length);
  return {
    path,
    name: path.replace(/\.wav$/, ""),
    rate: RATE,
    depth: "24",
    codec: null,
    frames: sound.left.length,
    timeReference: 0,
    measures: meter.finish(2),
    audio: readerOf(sound),
    ...more,
  };
}

const shifted = ({ left, right }: Sound, by: number): Sound => {
  const move = (side: Float32Array) => {
    const out = new Float32Array(side.length);
    for (let i = 0; i < side.length; i++) out[i] = side[i - by] ?? 0;
    return out;
  };
  return { left: move(left), right: move(right) };
};
const mixed = (sounds: readonly Sound[]): Sound => {
  const frames = Math.max(...sounds.map((s) => s.left.length));
  const sum = (side: "left" | "right") =>
    Float32Array.from({ length: frames }, (_, i) => sounds.reduce((n, s) => n + (s[side][i] ?? 0), 0));
  return { left: sum("left"), right: sum("right") };
};
const names = ["Kick", "Bass", "Keys", "Voice", "Air", "Bells", "Pad"];
const judged = (files: readonly SetFile[], mix: Sound | null) =>
  judgeSet(files, mix ? file("Song mix.wav", mix) : null, { rate: RATE, tempo: 133, onProgress: () => undefined });
const named = (findings: readonly SetFinding[]) => findings.filter((f) => f.weight !== "know");

const victimOf = (fault: string, path: string): string =>
  fault === "doubled" ? "Once again.wav" : fault === "the mix is late" ? "Song mix.wav" : path;

const sets = fc.record({
  count: fc.integer({ min: 3, max: 7 }),
  frames: fc.integer({ min: 150_000, max: 260_000 }),
  seed: fc.nat(1_000_000),
  victim: fc.nat(6),
  shift: fc.oneof(fc.integer({ min: 1, max: 50 }), fc.integer({ min: 51, max: 48_000 })),
  late: fc.boolean(),
  fault: fc.constantFrom(
    "none",
    "shifted",
    "padded in front",
    "cut",
    "padded",
    "silent",
    "clipped",
    "swapped",
    "doubled",
    "missing",
    "mono",
    "turned over",
    "turned over and shifted",
    "the mix is late",
    "silent, and another is missing",
    "quieter",
  ),
  hasMix: fc.boolean(),
});

describe("a set of stems from anywhere", () => {
  it("has every planted fault named with its file and its size, and nothing named where nothing is wrong", () => {
    fc.assert(
      fc.property(sets, ({ count, frames, seed, victim, shift, late, fault, hasMix }) => {
        const sounds = Array.from({ length: count }, (_, i) => stem(seed + 31 * i, frames));
        const v = victim % count;
        const path = `${names[v] ?? ""}.wav`;
        const files = sounds.map((s, i) => file(`${names[i] ?? ""}.wav`, s));
        const by = late ? shift : -shift;
        const victimSound = sounds[v] as Sound;
        const put = (sound: Sound, more: Partial<SetFile> = {}) => {
          files[v] = file(path, sound, more);
        };
        const needsMix =
          ["shifted", "swapped", "missing", "turned over", "quieter", "turned over and shifted"].includes(fault) ||
          ["the mix is late", "silent, and another is missing"].includes(fault);
        const whole = () => (fault === "the mix is late" ? shifted(mixed(sounds), by) : mixed(sounds));
        const result = () => judged(files, hasMix || needsMix ? whole() : null);
        switch (fault) {
          case "none":
            expect(named(result().findings)).toEqual([]);
            return;
          case "shifted":
            put(shifted(victimSound, by));
            break;
          case "padded in front": {
            const pad = (side: Float32Array) => {
              const out = new Float32Array(side.length + shift);
              out.set(side, shift);
              return out;
            };
            put({ left: pad(victimSound.left), right: pad(victimSound.right) });
            break;
          }
          case "cut":
            put({ left: victimSound.left.slice(0, frames - shift), right: victimSound.right.slice(0, frames - shift) });
            break;
          case "padded": {
            const pad = (side: Float32Array) => {
              const out = new Float32Array(side.length + shift);
              out.set(side);
              return out;
            };
            put({ left: pad(victimSound.left), right: pad(victimSound.right) });
            break;
          }
          case "silent, and another is missing":
            put({ left: new Float32Array(frames), right: new Float32Array(frames) });
            files.splice((v + 1) % count, 1);
            break;
          case "turned over and shifted": {
            const moved = shifted(victimSound, by);
            put({ left: moved.left.map((x) => -x), right: moved.right.map((x) => -x) });
            break;
          }
          case "silent":
            put({ left: new Float32Array(frames), right: new Float32Array(frames) });
            break;
          case "clipped": {
            const clip = (side: Float32Array) => side.map((x) => Math.max(-1, Math.min(1, 4 * x)));
            put({ left: clip(victimSound.left), right: clip(victimSound.right) });
            break;
          }
          case "swapped":
            put({ left: victimSound.right, right: victimSound.left });
            break;
          case "doubled":
            files.push(file("Once again.wav", victimSound));
            break;
          case "missing":
            files.splice(v, 1);
            break;
          case "mono":
            // Its mix was made of what it is.
            sounds[v] = { left: victimSound.left, right: victimSound.left };
            put(sounds[v]);
            break;
          case "turned over":
            put({ left: victimSound.left.map((x) => -x), right: victimSound.right.map((x) => -x) });
            break;
          case "quieter":
            put({ left: victimSound.left.map((x) => 0.5 * x), right: victimSound.right.map((x) => 0.5 * x) });
            break;
        }
        const { findings, residualDb } = result();
        const has = (wanted: object) => expect(findings).toContainEqual(expect.objectContaining(wanted));
        if (fault === "shifted") has({ kind: "shifted", file: path, frames: by, by: "content" });
        if (fault === "padded in front" && hasMix) has({ kind: "shifted", file: path, frames: shift });
        if (fault === "padded in front" && !hasMix) has({ kind: "padded", file: path, frames: shift });
        if (fault === "cut") has({ kind: "cut", file: path, frames: shift });
        if (fault === "padded") has({ kind: "padded", file: path, frames: shift, silent: true });
        if (fault === "silent") has({ kind: "silent", file: path });
        if (fault === "clipped") has({ kind: "clipped", file: path });
        if (fault === "swapped") has({ kind: "swapped sides", file: path });
        if (fault === "doubled") has({ kind: "doubled", file: "Once again.wav", of: path });
        if (fault === "missing") has({ kind: "missing" });
        if (fault === "mono") has({ kind: "mono as stereo", file: path });
        if (fault === "turned over") has({ kind: "inverted", file: path });
        if (fault === "turned over and shifted") {
          has({ kind: "inverted", file: path });
          has({ kind: "shifted", file: path, frames: by, by: "content" });
        }
        if (fault === "silent, and another is missing") has({ kind: "missing" });
        if (fault === "the mix is late") has({ kind: "mix shifted", file: "Song mix.wav", frames: by });
        if (fault === "quieter") has({ kind: "gain", file: path });
        // Nothing else is blamed.
        for (const f of named(findings))
          if ("file" in f) expect([fault, f.kind, f.file]).toEqual([fault, f.kind, victimOf(fault, path)]);
        // What a silent file should sound like is in the mix and in no file.
        if (!fault.includes("missing") && fault !== "silent")
          expect(findings.map((f) => f.kind)).not.toContain("missing");
        if (["swapped", "turned over", "quieter"].includes(fault)) expect(residualDb ?? -200).toBeLessThan(-55);
      }),
      { numRuns: share(12) },
    );
  }, 600_000);
});

describe("a low stem", () => {
  it("that is one frame off is found, though next to nothing is left of the mix", () => {
    const low = (by: number): Sound => {
      const left = Float32Array.from({ length: 200_000 }, (_, i) => {
        const at = Math.max(0, i - by);
        const hz = [41, 55, 49, 62, 46][Math.floor(at / 15_000) % 5] as number;
        return 0.4 * Math.exp(-(at % 15_000) / 9000) * Math.sin((2 * Math.PI * hz * (at % 15_000)) / RATE);
      });
      return { left, right: left.map((v) => 0.9 * v) };
    };
    const [a, b] = [stem(5, 200_000), stem(36, 200_000)];
    const files = [file("Kick.wav", a), file("Keys.wav", b), file("Bass.wav", low(1))];
    const { findings } = judged(files, mixed([a, b, low(0)]));
    expect(findings).toContainEqual({ kind: "shifted", weight: "wrong", file: "Bass.wav", frames: 1, by: "content" });
  });
});

describe("a clock that was off", () => {
  it.each([12, -40])("by %i ppm is found, and by how much", (ppm) => {
    const frames = 600_000;
    // Tones that come and go, so that they can be made at any speed; hits of noise would have to be converted.
    const tones = (speed: number, base: number): Sound => {
      const left = Float32Array.from({ length: frames }, (_, i) => {
        const at = i * speed;
        const note = Math.floor(at / 11_000);
        const into = at - note * 11_000;
        const hz = base * 2 ** (((note * note * 7 + note * 5) % 24) / 12);
        return 0.3 * Math.min(1, into / 200) * Math.exp(-into / 6000) * Math.sin((2 * Math.PI * hz * into) / RATE);
      });
      return { left, right: left.map((v) => 0.8 * v) };
    };
    const right = [tones(1, 220), tones(1, 311), tones(1, 523)];
    const files = [
      file("Keys.wav", right[0]!),
      file("Lead.wav", tones(1 + ppm / 1e6, 311)),
      file("Bells.wav", right[2]!),
    ];
    const { findings, mends } = judged(files, mixed(right));
    const drift = findings.find((f) => f.kind === "drift");
    expect(drift).toMatchObject({ file: "Lead.wav", weight: "wrong" });
    expect(Math.abs((drift?.kind === "drift" ? drift.ppm : 0) - ppm)).toBeLessThan(0.05);
    expect(findings.filter((f) => f.weight === "wrong").map((f) => f.kind)).toEqual(["drift"]);
    // Resampled, it is what it should have been.
    const mend = mends.find((m) => m.path === "Lead.wav")!.drift!;
    const copy = undrifted(files[1]!.audio, mend, "keep");
    const [left, side] = [new Float32Array(copy.frames), new Float32Array(copy.frames)];
    copy.read(0, copy.frames, left, side, 0);
    const lead = right[1]!.left;
    const within = Math.min(copy.frames, frames) - 1000;
    let [off, whole] = [0, 0];
    for (let i = 1000; i < within; i++) {
      off += (left[i]! - lead[i]!) ** 2;
      whole += lead[i]! ** 2;
    }
    const offDb = 10 * Math.log10(off / whole);
    expect(offDb).toBeLessThan(-50);
  });
});
