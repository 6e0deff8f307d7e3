import { describe, expect, test } from "vitest";
import type { Reshape } from "../session/clips";
import { hashOf, joined, memoryLibrary, noise, type Heard } from "../testing/listen";
import { sine, spectrumDb } from "../testing/process";
import { fraction, reshapeAudio } from "./reshape";
import { TimeMap } from "../session/bend";
import { VaryingSpeed } from "./varying-speed";
import { makeStretcher } from "./stretcher";

async function reshaped(audio: Heard, change: Partial<Reshape>): Promise<Heard> {
  const parts: { left: Float32Array[]; right: Float32Array[] } = { left: [], right: [] };
  reshapeAudio(
    memoryLibrary({ [hashOf(1)]: audio })(hashOf(1)),
    {
      ...{ asset: hashOf(1), reverse: false, stretch: 1, transposeCents: 0, timeMarks: [], pitchLine: [] },
      ...change,
    },
    await makeStretcher(48000),
    (l, r, offset, n) => {
      parts.left.push(l.slice(offset, offset + n));
      parts.right.push(r.slice(offset, offset + n));
    },
  );
  return { left: joined(parts.left), right: joined(parts.right) };
}

const strongest = (x: Float32Array) => {
  const spectrum = spectrumDb(x.subarray(0, 32768));
  const best = spectrum.reduce((b, v, k) => (v > spectrum[b]! ? k : b), 0);
  const [a, b, c] = [spectrum[best - 1]!, spectrum[best]!, spectrum[best + 1]!];
  return ((best + (0.5 * (a - c)) / (a - 2 * b + c)) * 48000) / 32768;
};

describe("stretch and transpose", async () => {
  test.each([0.5, 0.8, 1.25, 2, 3.3])("by %f: exactly as long as asked, at the same pitch", async (stretch) => {
    const out = await reshaped(sine(440, 96000, 0.5), { stretch });
    expect(out.left.length).toBe(Math.round(96000 * stretch));
    // Beyond twice the length, phases are scattered so that attacks do not ring: a tone wavers a little.
    expect(Math.abs(1200 * Math.log2(strongest(out.left.subarray(8000)) / 440))).toBeLessThan(stretch > 2 ? 15 : 2);
  });

  test.each([-1200, -700, -50, 350, 1200])(
    "by %i cents: the same length, the pitch within half a cent",
    async (transposeCents) => {
      const out = await reshaped(sine(440, 96000, 0.5), { transposeCents });
      expect(out.left.length).toBe(96000);
      expect(Math.abs(1200 * Math.log2(strongest(out.left.subarray(16000)) / 440) - transposeCents)).toBeLessThan(0.5);
    },
  );

  test("an attack stays where its place in time is", async () => {
    const click = { left: new Float32Array(96000), right: new Float32Array(96000) };
    for (let i = 0; i < 400; i++) click.left[48000 + i] = Math.exp(-i / 60) * Math.sin(i * 0.4);
    click.right.set(click.left);
    for (const stretch of [0.7, 1.6]) {
      const out = (await reshaped(click, { stretch })).left;
      const centre = out.reduce((s, v, i) => s + v * v * i, 0) / out.reduce((s, v) => s + v * v, 0);
      expect(Math.abs(centre - 48000 * stretch)).toBeLessThan(480);
    }
  });

  test("twice as long and an octave down needs no stretching: it is the converter alone,", async () => {
    const input = sine(3000, 24000, 0.5);
    const out = await reshaped(input, { stretch: 2, transposeCents: -1200 });
    expect(out.left.length).toBe(48000);
    for (let i = 200; i < 23000; i += 501) expect(out.left[2 * i]).toBeCloseTo(input.left[i]!, 4);
  });

  test("reversed comes before stretched", async () => {
    const input = noise(24000, 4, 0.3);
    const backwards = { left: input.left.slice().reverse(), right: input.right.slice().reverse() };
    expect(await reshaped(input, { reverse: true, stretch: 1.3 })).toEqual(await reshaped(backwards, { stretch: 1.3 }));
  });

  test.each([1.37, 3.1])("the same audio by %f gives the same samples every time", async (stretch) => {
    const input = noise(48000, 9, 0.4);
    const first = await reshaped(input, { stretch, transposeCents: 211 });
    expect(await reshaped(input, { stretch, transposeCents: 211 })).toEqual(first);
    // From one run of the program to the next, too: a change here needs a new STRETCH_VERSION.
    const digest = [...first.left].reduce((h, v) => (Math.imul(h, 31) + Math.round(v * 1048576)) | 0, 7);
    expect(digest).toBe(stretch === 1.37 ? -259928663 : 339471488);
  });

  test("what sounds at a time marker is heard where the marker was moved to, and everything else between", async () => {
    const clicks = { left: new Float32Array(144000), right: new Float32Array(144000) };
    const places = [20000, 60000, 100000];
    for (const p of places) for (let i = 0; i < 400; i++) clicks.left[p + i] = Math.exp(-i / 60) * Math.sin(i * 0.4);
    clicks.right.set(clicks.left);
    const timeMarks = [
      { at: 40000, to: 40000 },
      { at: 60000, to: 72000 },
      { at: 80000, to: 80000 },
    ];
    for (const stretch of [1, 1.2]) {
      const bend = { stretch, timeMarks };
      const out = (await reshaped(clicks, bend)).left;
      const map = new TimeMap(144000, bend);
      expect(out.length).toBe(map.frames);
      for (const p of places) {
        const from = Math.round(map.toStretched(p)) - 2000;
        const near = out.subarray(from, from + 4800);
        const centre = near.reduce((s, v, i) => s + v * v * i, 0) / near.reduce((s, v) => s + v * v, 0);
        expect([p, Math.abs(from + centre - map.toStretched(p)) < 480]).toEqual([p, true]);
      }
    }
  });

  test("a pitch line is met along the way, at every place, without another length", async () => {
    const pitchLine = [
      { at: 48000, cents: 0 },
      { at: 144000, cents: 600 },
    ];
    const out = await reshaped(sine(440, 192000, 0.5), { pitchLine, transposeCents: -100 });
    expect(out.left.length).toBe(192000);
    // Zero crossings of a tone that glides tell its pitch.
    for (const [middle, cents] of [
      [24000, -100],
      [72000, 50],
      [96000, 200],
      [120000, 350],
      [168000, 500],
    ] as const) {
      const part = out.left.subarray(middle - 6000, middle + 6000);
      const crossings: number[] = [];
      for (let i = 1; i < part.length; i++) {
        const [a, b] = [part[i - 1]!, part[i]!];
        if (a < 0 && b >= 0) crossings.push(i - 1 + a / (a - b));
      }
      const hertz = (48000 * (crossings.length - 1)) / (crossings.at(-1)! - crossings[0]!);
      expect([middle, Math.abs(1200 * Math.log2(hertz / 440) - cents) < 3]).toEqual([middle, true]);
    }
  });

  test("as short and as low as it goes, more goes in at once than comes out, and it is as long as it should be", async () => {
    const bend = { stretch: 0.25, transposeCents: -2400, pitchLine: [{ at: 0, cents: -2400 }] };
    const out = await reshaped(sine(2000, 96000, 0.5), bend);
    expect(out.left.length).toBe(24000);
    // Sixty-four times shorter than it was before it is read back: what is left of it is no more than it was.
    expect(out.left.every((v) => Math.abs(v) < 1)).toBe(true);
  });

  test("audio that is read at another speed is that audio at other places, without what would fold over", () => {
    const tone = sine(997, 48000, 0.5).left;
    const heard: number[] = [];
    const speed = new VaryingSpeed(
      (m) => 1.5 * m + 0.25,
      20000,
      (l, _, offset, n) => heard.push(...l.subarray(offset, offset + n)),
    );
    for (let at = 0; at < 48000; at += 1000) speed.push(tone, tone, at, 1000);
    speed.finish();
    expect(heard.length).toBe(20000);
    for (let m = 500; m < 19000; m += 37)
      expect(heard[m]).toBeCloseTo(0.5 * Math.sin((2 * Math.PI * 997 * (1.5 * m + 0.25)) / 48000), 4);
    const high = sine(20000, 48000, 0.5).left;
    let power = 0;
    const fast = new VaryingSpeed(
      (m) => 2 * m,
      20000,
      (l, _, offset, n) => l.subarray(offset + (offset === 0 ? 200 : 0), offset + n).forEach((v) => (power += v * v)),
    );
    fast.push(high, high, 0, 48000);
    fast.finish();
    expect(10 * Math.log10(power / 20000)).toBeLessThan(-60);
  });

  test("a voice with vibrato keeps its pitch within 2 cents (by power) at twice the length", async () => {
    const centsOf = (t: number) => 25 * Math.sin(2 * Math.PI * 5.5 * t);
    const frames = 144000;
    const left = new Float32Array(frames);
    let phase = 0;
    for (let i = 0; i < frames; i++) {
      phase += (180 * 2 ** (centsOf(i / 48000) / 1200)) / 48000;
      for (let h = 1; h <= 16; h++) left[i] = left[i]! + (0.1 / h) * Math.sin(2 * Math.PI * h * phase);
    }
    const out = (await reshaped({ left, right: left.slice() }, { stretch: 2 })).left;
    // Pitch by autocorrelation over 40 ms; what is heard halfway between both windows.
    const [width, near] = [1920, Math.round(48000 / 180)];
    let [sum, count] = [0, 0];
    for (let at = 24000; at < out.length - 28000; at += 960) {
      const alike = (lag: number) => {
        let [ab, aa, bb] = [0, 0, 0];
        for (let i = at; i < at + width; i++) {
          ab += out[i]! * out[i + lag]!;
          aa += out[i]! ** 2;
          bb += out[i + lag]! ** 2;
        }
        return ab / Math.sqrt(aa * bb);
      };
      let best = near - 12;
      for (let lag = best; lag <= near + 12; lag++) if (alike(lag) > alike(best)) best = lag;
      const [a, b, c] = [alike(best - 1), alike(best), alike(best + 1)];
      const heard = 1200 * Math.log2(48000 / (best + (0.5 * (a - c)) / (a - 2 * b + c)) / 180);
      sum += (heard - centsOf((at + (width + near) / 2) / 48000 / 2)) ** 2;
      count++;
    }
    expect(Math.sqrt(sum / count)).toBeLessThan(2);
  });

  test("every interval of whole cents is a fraction near to a tenth of a cent", async () => {
    for (let wanted = -2400; wanted <= 2400; wanted++) {
      const [over, under] = fraction(2 ** (wanted / 1200));
      expect(under).toBeLessThanOrEqual(4096);
      expect(Math.abs(1200 * Math.log2(over / under) - wanted)).toBeLessThan(0.1);
    }
    expect(fraction(1)).toEqual([1, 1]);
    expect(fraction(2)).toEqual([2, 1]);
  });
});
