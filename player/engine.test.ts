import { describe, expect, test, vi } from "vitest";
import { LoudnessMeter } from "../core/analysis/loudness";
import { MemorySink } from "../core/formats/bytes/bytes";
import { WavWriter } from "../core/formats/wav/write";
import { makeAudioClip, makeDevice, makeSession, makeTrack } from "../core/session/build";
import type { Session } from "../core/session/document";
import { MIX_OUT, hashOf, listen, noise } from "../core/testing/listen";
import { recordedAssets, recordings } from "../core/testing/random-session";
import { MissingAudio } from "../core/engine/library";
import { AudioCache, BLOCK_BYTES } from "./audio-cache";
import { Engine } from "./engine";
import type { Offer } from "./known-checkpoints";
import type { FromEngine } from "./messages";
import { FIRST_LEVEL, levelsMemory } from "./messages";
import { Ring, ringMemory } from "./ring";
import type { SharedCheckpoint } from "./shared-checkpoint";

const session: Session = makeSession({
  assets: recordedAssets,
  tracks: [
    makeTrack({
      id: "a",
      name: "A",
      kind: "audio",
      faderDb: -6,
      clips: [makeAudioClip({ id: "c", asset: hashOf(1), start: 0, frames: 48000 })],
      devices: [makeDevice("e", "eq", { lowDb: 4 })],
    }),
    makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
  ],
});

/** The first of the test recordings as a file. */
const file = (() => {
  const sink = new MemorySink();
  const { left, right } = noise(48000, 1);
  const writer = new WavWriter(sink, {
    format: { rate: 48000, channels: 2, depth: "32f" },
    bext: null,
    ditherSeed: null,
  });
  writer.write(left, right, 0, left.length);
  writer.finish();
  return sink.bytes();
})();

function engine(has: (asset: string) => boolean = (asset) => asset === hashOf(1)) {
  const ring = new Ring(ringMemory());
  const levels = new Float32Array(levelsMemory());
  const said: FromEngine[] = [];
  const cache = new AudioCache({
    async blocks(asset, first, end) {
      if (!has(asset)) throw new MissingAudio(asset);
      const blocks: Uint8Array[] = [];
      for (let b = first; b < end && b * BLOCK_BYTES < file.length; b++)
        blocks.push(file.slice(b * BLOCK_BYTES, Math.min(file.length, (b + 1) * BLOCK_BYTES)));
      return { blocks, size: file.length };
    },
    reshaped: () => Promise.reject(new Error("nothing is reshaped here")),
  });
  const made = new Engine({
    ring,
    levels,
    cache,
    now: () => performance.now(),
    pause: () => Promise.resolve(),
    say: (message) => said.push(message),
  });
  const start = (ticket: number, given: Session | null, at = 0, reach = 0, offers: readonly Offer[] = []) =>
    made.start({ ticket, session: given, serial: 7, soloed: [], at, pass: ticket, offers, reach });
  const take = (count: number) => {
    const [left, right] = [new Float32Array(count), new Float32Array(count)];
    ring.read(left, right, 0, count);
    made.drained();
    return { left, right };
  };
  return { made, ring, levels, said, start, take };
}

describe("an engine", () => {
  test("says when it is ready, and what it fills its ring with is what a render makes", async () => {
    const { said, start, take, ring } = engine();
    await start(1, session);
    expect(said).toEqual([{ kind: "ready", ticket: 1, exact: true }]);
    const [mix] = listen(session, [MIX_OUT], { library: recordings });
    expect(ring.position).toBe(0);
    expect(take(4096)).toEqual({ left: mix!.left.slice(0, 4096), right: mix!.right.slice(0, 4096) });
  });

  describe("playing from the middle", () => {
    const at = 100_000;
    /** Noise with an echo, several seconds of it. */
    const long = makeSession({
      ...session,
      tracks: session.tracks.map((t) => ({
        ...t,
        clips: [0, 1, 2, 3].flatMap((n) => t.clips.map((c) => ({ ...c, id: `c${n}`, start: 48_000 * n }))),
        devices: [...t.devices, ...(t.kind === "mix" ? [] : [makeDevice("d", "delay", { feedback: 60 })])],
      })),
    });
    const printed = (s: Session) => listen(s, [MIX_OUT], { library: recordings, from: at })[0]!;
    /** What playing the session for more than two seconds leaves. */
    async function remembered(): Promise<SharedCheckpoint> {
      const { said, start, take, ring } = engine();
      await start(1, long);
      for (let taken = 0; taken < 100_000; taken += 1000) {
        await vi.waitFor(() => expect(ring.ahead).toBeGreaterThanOrEqual(1000));
        take(1000);
      }
      const kept = said.flatMap((m) => (m.kind === "checkpoint" ? [m] : []));
      expect(kept.map((m) => [m.ticket, m.serial, m.checkpoint.clock])).toEqual([
        [1, 7, 47_872],
        [1, 7, 96_000],
      ]);
      return kept[1]!.checkpoint;
    }
    const last = (said: readonly FromEngine[]) => said.filter((m) => m.kind === "ready").at(-1);

    test("begins from what was remembered near it, and is a print there; without, a pre-roll has to do", async () => {
      const checkpoint = await remembered();
      for (const prepared of [null, long, session]) {
        const near = engine();
        // Compiled ahead, for this session or for another one.
        if (prepared) await near.start(1, prepared);
        if (prepared) near.made.prepare(null, 2);
        await near.start(3, long, at, 6000, [{ of: null, checkpoint }]);
        expect(last(near.said)).toEqual({ kind: "ready", ticket: 3, exact: true });
        expect(near.take(4096).left).toEqual(printed(long).left.slice(0, 4096));
      }
      for (const [reach, offers] of [
        [3000, [{ of: null, checkpoint }]],
        [6000, []],
      ] as const) {
        const far = engine();
        await far.start(1, long, at, reach, offers);
        expect(last(far.said)).toEqual({ kind: "ready", ticket: 1, exact: false });
      }
    });

    test("goes on from what was remembered before an edit only where nothing before it has changed", async () => {
      const checkpoint = await remembered();
      const clipsOf = (change: (t: Session["tracks"][number]) => object): Session => ({
        ...long,
        tracks: long.tracks.map((t) => (t.id === "a" ? { ...t, ...change(t) } : t)),
      });
      for (const [edited, exact] of [
        [clipsOf((t) => ({ clips: t.clips.slice(0, -1) })), true],
        [clipsOf((t) => ({ clips: t.clips.slice(1) })), false],
        [clipsOf((t) => ({ devices: [...t.devices, makeDevice("more", "reverb")] })), false],
      ] as const) {
        const { said, start, take } = engine();
        await start(1, edited, at, 6000, [{ of: long, checkpoint }]);
        expect(last(said)).toEqual({ kind: "ready", ticket: 1, exact });
        if (exact) expect(take(4096).left).toEqual(printed(edited).left.slice(0, 4096));
      }
    });

    test("renders silently from the session's zero where that is within reach", async () => {
      const { said, start, take } = engine();
      await start(1, long, at, at);
      expect(last(said)).toEqual({ kind: "ready", ticket: 1, exact: true });
      expect(take(4096).left).toEqual(printed(long).left.slice(0, 4096));
    });
  });

  test("tells the loudness of the track that is metered, step by step, as it is measured in what is heard", async () => {
    for (const track of ["mix", "a"]) {
      const { made, said, start, take, ring } = engine();
      made.measure(track);
      await start(1, session);
      const heard = { left: new Float32Array(0), right: new Float32Array(0) };
      const joined = (a: Float32Array, b: Float32Array) => Float32Array.from([...a, ...b]);
      while (heard.left.length < 24000) {
        await vi.waitFor(() => expect(ring.ahead).toBeGreaterThanOrEqual(1024));
        const { left, right } = take(1024);
        heard.left = joined(heard.left, left);
        heard.right = joined(heard.right, right);
      }
      const steps = said.flatMap((m) => (m.kind === "loudness" ? [m] : []));
      expect(steps.length).toBeGreaterThanOrEqual(5);
      const meter = new LoudnessMeter(session.rate);
      meter.push(heard.left, heard.right, 0, heard.left.length);
      // The mix is the one track here: both are the same sound.
      for (let i = 0; i < 5; i++) expect(10 * Math.log10(steps[i]!.power / meter.power(i))).toBeCloseTo(0, 3);
      expect(steps.map((s) => s.track)).toEqual(steps.map(() => track));
      expect(steps[4]!.at).toBeGreaterThanOrEqual(24000);
      expect(steps.at(-1)!.truePeak).toBeGreaterThanOrEqual(Math.max(...heard.left.map(Math.abs)));
      made.measure(null);
      const count = said.length;
      take(1024);
      expect(said.slice(count).filter((m) => m.kind === "loudness")).toEqual([]);
    }
  });

  test("keeps further ahead of a sound card that takes much at once, and never further than the ring is long", async () => {
    for (const [burst, least] of [
      [896, 3 * 896],
      [1_000_000, 0.25 * 48_000],
    ] as const) {
      const { made, start, take, ring } = engine();
      await start(1, session);
      take(4800);
      made.drained(burst);
      await vi.waitFor(() => expect(ring.ahead).toBeGreaterThanOrEqual(least));
      expect(ring.ahead).toBeLessThan(0.25 * 48_000 + 1024);
    }
  });

  test("goes on from the session it has, with what was turned since, when it is told no other", async () => {
    const { made, start, take } = engine();
    await start(1, session);
    made.turn([{ track: "a", faderDb: -20 }], null);
    await start(2, null);
    const turned = { ...session, tracks: session.tracks.map((t) => (t.id === "a" ? { ...t, faderDb: -20 } : t)) };
    const [mix] = listen(turned, [MIX_OUT], { library: recordings });
    expect(take(4096).left).toEqual(mix!.left.slice(0, 4096));
  });

  test("glides to what is turned while it plays, and shows levels of every track", async () => {
    const { made, levels, start, take, ring } = engine();
    await start(1, session);
    const loud = Math.max(...take(2048).left.map(Math.abs));
    made.turn([{ track: "a", mute: true }], null);
    let last = 1;
    for (let turn = 0; turn < 40 && last > 0; turn++) {
      await vi.waitFor(() => expect(ring.ahead).toBeGreaterThanOrEqual(512));
      last = Math.max(...take(512).left.map(Math.abs));
    }
    expect([loud > 0.05, last]).toEqual([true, 0]);
    expect(levels[FIRST_LEVEL]).toBeGreaterThan(0);
  });

  test("says what is missing and what to do, and nothing of what was asked for before that", async () => {
    const { said, start } = engine(() => false);
    await Promise.all([start(1, session), start(2, session)]);
    expect(said).toMatchObject([
      { kind: "failed", ticket: 2, todo: "Add the file again, or remove the clips that use it." },
    ]);
  });
});
