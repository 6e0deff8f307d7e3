import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { makeAudioClip, makeDevice, makeSession, makeTrack } from "../session/build";
import { isWhole } from "../testing/in-parts";
import { MIX_IN, MIX_OUT, differenceDb, hashOf, listen, memoryLibrary, sumOf, tapAt } from "../testing/listen";
import { randomSessions, recordedAssets, recordings } from "../testing/random-session";
import { measureLoad } from "./load";
import type { Agreement } from "./render";
import { PLAYBACK_BLOCK, RenderCancelled } from "./render";
import { splitTaps } from "./split";
import { TailWatch } from "./tail";
import type { Session } from "../session/document";
import type { Tap } from "./tap";

describe("sums of random sessions", () => {
  test("with linear groups and returns, all stems add up to the mix before its chain", () => {
    fc.assert(
      fc.property(randomSessions({ above: "linear" }), (s) => {
        const stems = s.tracks.filter((t) => t.kind === "audio" || t.kind === "instrument" || t.kind === "return");
        const [before, ...parts] = listen(s, [MIX_IN, ...stems.map((t) => tapAt("group", t.id))], {
          library: recordings,
        });
        expect(differenceDb(sumOf(parts), before!)).toBeLessThanOrEqual(-120);
      }),
      { numRuns: 12, seed: 21 },
    );
  });

  test("with dynamics on groups, gain-linked stems add up to it too; returns among them or baked in", () => {
    fc.assert(
      fc.property(randomSessions({ above: "linkable" }), fc.boolean(), (s, returns) => {
        const stems = s.tracks.filter(
          (t) => t.kind === "audio" || t.kind === "instrument" || (t.kind === "return" && !returns),
        );
        const [before, ...parts] = listen(
          s,
          [MIX_IN, ...stems.map((t) => ({ ...tapAt("group", t.id), returns, linked: true }))],
          { library: recordings },
        );
        expect(differenceDb(sumOf(parts), before!)).toBeLessThanOrEqual(-110);
      }),
      { numRuns: 14, seed: 23 },
    );
  });

  test("without the link, shares of a compressed group do not: the test above can fail", () => {
    const clip = (id: string, asset: number) => makeAudioClip({ id, asset: hashOf(asset), start: 0, frames: 48000 });
    const s = makeSession({
      assets: recordedAssets,
      tracks: [
        ...[1, 3].map((n) =>
          makeTrack({ id: `t${n}`, name: `T${n}`, kind: "audio", output: "g", clips: [clip("c", n)] }),
        ),
        makeTrack({
          id: "g",
          name: "G",
          kind: "group",
          devices: [makeDevice("c", "compressor", { thresholdDb: -30, ratio: 8 })],
        }),
        makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
      ],
    });
    const apart = (linked: boolean) => {
      const [before, ...parts] = listen(s, [MIX_IN, ...["t1", "t3"].map((id) => ({ ...tapAt("group", id), linked }))], {
        library: recordings,
      });
      return differenceDb(sumOf(parts), before!);
    };
    expect(apart(false)).toBeGreaterThan(-40);
    expect(apart(true)).toBeLessThanOrEqual(-110);
  });
});

describe("the end of a range", () => {
  test("lets go of what sounds and plays nothing after it: the same before, only what rings behind", () => {
    fc.assert(
      fc.property(randomSessions(), fc.integer({ min: 30000, max: 40000 }), (s, to) => {
        const [whole, cut] = [{}, { endAt: to }].map((more) =>
          listen(s, [MIX_OUT, tapAt("devices", "t0")], { library: recordings, to, ...more }),
        );
        // Devices that look ahead hear the end coming, the pitch shifter from furthest, and there may be several on the
        // way.
        const before = to - 24_000;
        cut!.forEach((heard, i) => expect(heard.left.slice(0, before)).toEqual(whole![i]!.left.slice(0, before)));
        const later = {
          ...s,
          tracks: s.tracks.map((t) => ({
            ...t,
            clips: t.clips.map((c) => (c.kind === "audio" && c.start >= to ? { ...c, gainDb: 20 } : c)),
          })),
        };
        expect(listen(later, [MIX_OUT, tapAt("devices", "t0")], { library: recordings, to, endAt: to })[0]).toEqual(
          cut![0],
        );
      }),
      { numRuns: 8, seed: 14 },
    );
  });
});

describe("dividing a pass", () => {
  const tapsOf = (s: Parameters<typeof splitTaps>[0]): readonly Tap[] => [
    ...s.tracks.filter((t) => t.kind !== "mix").map((t) => tapAt("group", t.id)),
    MIX_IN,
    MIX_OUT,
  ];

  test("every tap goes to exactly one part, and no part is empty", () => {
    fc.assert(
      fc.property(randomSessions(), fc.integer({ min: 1, max: 6 }), (s, threads) => {
        const taps = tapsOf(s);
        const parts = splitTaps(s, taps, threads);
        expect(parts.flat().sort((a, b) => a - b)).toEqual(taps.map((_, i) => i));
        expect(parts.length).toBeLessThanOrEqual(threads);
        expect(parts.every((p) => p.length > 0)).toBe(true);
      }),
    );
  });

  test("four equal instruments go two and two", () => {
    const s = makeSession({
      tracks: [
        ...["a", "b", "c", "d"].map((id) =>
          makeTrack({ id, name: id, kind: "instrument", devices: [makeDevice(`d-${id}`, "bars")] }),
        ),
        makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
      ],
    });
    expect(
      splitTaps(
        s,
        ["a", "b", "c", "d"].map((id) => tapAt("devices", id)),
        2,
      ).map((p) => p.length),
    ).toEqual([2, 2]);
  });

  /** The end a pass finds over all its taps, and the end its parts agree on when each watches only its own. */
  test("parts that watch their own tails agree on the end the whole would find", () => {
    const loud = fc.array(fc.tuple(fc.integer({ min: 0, max: 60000 }), fc.integer({ min: 1, max: 9000 })), {
      maxLength: 4,
    });
    fc.assert(
      fc.property(fc.array(loud, { minLength: 1, maxLength: 4 }), fc.nat(20000), (signals, contentEnd) => {
        const LENGTH = 512 * 400;
        const audio = signals.map((bursts) => {
          const x = new Float32Array(LENGTH);
          for (const [at, n] of bursts) x.fill(0.5, at, at + n);
          return x;
        });
        const findEnd = (watch: TailWatch, mine: readonly Float32Array[]): number => {
          for (let at = 0; at < LENGTH; at += 512) {
            const end = watch.end(
              mine.map((x) => ({
                left: x.subarray(at, at + 512),
                right: x.subarray(at, at + 512),
                silent: false,
              })) as never,
              at,
              512,
            );
            if (end !== null) return end;
          }
          return LENGTH;
        };
        const whole = findEnd(new TailWatch(contentEnd, 48000), audio);
        let agreed = contentEnd;
        for (;;) {
          const ends = audio.map((x) => {
            const watch = new TailWatch(contentEnd, 48000);
            watch.raise(agreed);
            return findEnd(watch, [x]);
          });
          const latest = Math.max(...ends);
          if (ends.every((e) => e === latest)) {
            expect(latest).toBe(whole);
            return;
          }
          agreed = latest;
        }
      }),
      { numRuns: 60, seed: 9 },
    );
  });

  test("a render goes on to the end that was agreed, and stops there", () => {
    const s = fc.sample(randomSessions(), { numRuns: 1, seed: 30 })[0]!;
    const alone = listen(s, [tapAt("devices", "t0")], { library: recordings })[0]!;
    const later = alone.left.length + 12345;
    const asked: number[] = [];
    const agreeOnEnd = (end: number): Agreement => {
      asked.push(end);
      return { end: Math.max(end, later), settled: end >= later };
    };
    const longer = listen(s, [tapAt("devices", "t0")], { library: recordings, agreeOnEnd })[0]!;
    expect(asked).toEqual([alone.left.length, later]);
    expect(longer.left.length).toBe(later);
    expect(longer.left.slice(0, alone.left.length)).toEqual(alone.left);
  });
});

describe("cancelling", () => {
  test("stops the render with its own error", () => {
    const s = fc.sample(randomSessions(), { numRuns: 1, seed: 31 })[0]!;
    expect(() => listen(s, [MIX_OUT], { library: recordings, onBlock: (done) => done < 5000 })).toThrow(
      RenderCancelled,
    );
  });
});

describe("load", () => {
  test("every track that computes is measured, a parked one is not, and the busiest stretch is found", () => {
    const clip = (id: string, start: number) => makeAudioClip({ id, asset: hashOf(1), start, frames: 48000 });
    const s = makeSession({
      assets: recordedAssets,
      tracks: [
        makeTrack({
          id: "a",
          name: "A",
          kind: "audio",
          clips: [clip("c0", 0), clip("c1", 48000 * 20), clip("c2", 48000 * 21)],
          devices: [makeDevice("h", "reverb")],
        }),
        makeTrack({ id: "p", name: "P", kind: "audio", clips: [clip("c3", 0)], parked: true }),
        makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
      ],
    });
    let clock = 0;
    const report = measureLoad(
      s,
      memoryLibrary({ [hashOf(1)]: { left: new Float32Array(48000), right: new Float32Array(48000) } }),
      () => (clock += 1),
    );
    expect(Object.keys(report.tracks).sort()).toEqual(["a", "mix"]);
    expect(report.from / 48000).toBeGreaterThan(14);
    // The clock above advances one millisecond a look, two looks a node: every node of every block counts one.
    expect(report.tracks["a"]).toBeCloseTo(report.frames / PLAYBACK_BLOCK / ((report.frames / 48000) * 1000), 9);
    expect(report.total).toBeCloseTo(2 * report.tracks["a"]!, 9);
  });
});

describe("a tap in front of a device", () => {
  const places = (s: Session) =>
    s.tracks.flatMap((t) =>
      t.parked || t.frozen
        ? []
        : t.devices.flatMap((d, i) => (i === 0 && t.kind === "instrument" ? [] : [{ track: t, device: d.id, i }])),
    );

  test("hears what its path would give if it ended there, and is the same bits however the pass is divided", () => {
    let heard = 0;
    let divided = 0;
    fc.assert(
      fc.property(randomSessions(), fc.nat(20), fc.constantFrom(2, 3, 4), (s, pick, threads) => {
        const all = places(s);
        const place = all[pick % Math.max(1, all.length)];
        if (!place) return;
        const { track, device, i } = place;
        const tap: Tap = { kind: "device", track: track.id, device };
        const ended: Session = {
          ...s,
          tracks: s.tracks.map((t) =>
            t.id === track.id
              ? {
                  ...t,
                  devices: t.devices.slice(0, i),
                  automation: t.automation.filter((a) => t.devices.slice(i).every((d) => d.id !== a.of)),
                }
              : t,
          ),
        };
        const to = 60_000;
        const [is] = listen(s, [tap], { library: recordings, to, tail: "none" });
        const [was] = listen(ended, [tapAt("devices", track.id)], { library: recordings, to, tail: "none" });
        expect(differenceDb(is!, was!)).toBe(-Infinity);
        if (is!.left.some((v) => v !== 0)) heard++;
        const whole = isWhole(s, [MIX_OUT, tap], "none", 1, threads);
        expect(whole.different).toEqual([]);
        if (whole.divided) divided++;
      }),
      { numRuns: 24, seed: 29 },
    );
    expect([heard > 8, divided > 4]).toEqual([true, true]);
  }, 120_000);
});
