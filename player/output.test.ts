import { describe, expect, test } from "vitest";
import { FADE, Output } from "./output";
import { Ring, ringMemory } from "./ring";

const QUANTUM = 128;

/**
 * Two rings, what is said about them, and the sound that comes out. Ring 0 holds the timeline's frame numbers left and
 * 0 right, ring 1 the numbers and 1.
 */
function setUp(starts: readonly [number, number] = [0, 0], filled: readonly [number, number] = [4096, 4096]) {
  const rings = [new Ring(ringMemory()), new Ring(ringMemory())] as const;
  const fill = (ring: 0 | 1, from: number, count: number) =>
    rings[ring].write(
      Float32Array.from({ length: count }, (_, i) => from + i),
      new Float32Array(count).fill(ring),
      0,
      count,
    );
  rings.forEach((ring, i) => {
    ring.restart(starts[i]!);
    fill(i as 0 | 1, starts[i]!, filled[i]!);
  });
  const said: string[] = [];
  const output = new Output(rings, {
    missed: (frames) => said.push(`missed ${frames}`),
    tookOver: (ring) => said.push(`took over ${ring}`),
    stopped: () => said.push("stopped"),
    drained: () => undefined,
  });
  const left: number[] = [],
    right: number[] = [];
  const run = (quanta: number) => {
    for (let q = 0; q < quanta; q++) {
      const [l, r] = [new Float32Array(QUANTUM), new Float32Array(QUANTUM)];
      output.process(l, r);
      left.push(...l);
      right.push(...r);
    }
  };
  return { rings, output, said, left, right, run, fill };
}

describe("the output", () => {
  test("is silent until it plays, then gives every frame once, unchanged", () => {
    const { output, left, run, said } = setUp();
    run(2);
    output.play(0);
    run(8);
    expect(left.slice(0, 256).every((x) => x === 0)).toBe(true);
    expect(left.slice(256)).toEqual(Array.from({ length: 1024 }, (_, i) => i));
    expect(said).toEqual([]);
  });

  test("says what was missing, and goes on where it was", () => {
    const { output, left, run, said, fill } = setUp([0, 0], [200, 0]);
    output.play(0);
    run(2);
    expect(said).toEqual(["missed 56"]);
    fill(0, 200, 500);
    run(1);
    expect(left.slice(256)).toEqual(Array.from({ length: 128 }, (_, i) => 200 + i));
  });

  test("stops in a fade and says so", () => {
    const { output, left, run, said } = setUp([1000, 0]);
    output.play(0);
    run(1);
    output.stop();
    run(3);
    expect(said).toEqual(["stopped"]);
    expect(left.slice(128 + FADE).every((x) => x === 0)).toBe(true);
    const ratio = left.slice(128, 128 + FADE).map((x, i) => x / (1128 + i));
    expect(ratio.every((x, i) => i === 0 || x < ratio[i - 1]!)).toBe(true);
  });

  test("jumps to the other ring in a crossfade", () => {
    const { output, left, right, run, said } = setUp([0, 50_000]);
    output.play(0);
    run(1);
    output.takeOver({ kind: "jump" });
    run(4);
    expect(said).toEqual(["took over 1"]);
    expect(right.slice(128, 128 + FADE).every((x, i) => Math.abs(x - (i + 0.5) / FADE) < 1e-6)).toBe(true);
    expect(left.slice(128 + FADE)).toEqual(Array.from({ length: 256 }, (_, i) => 50_000 + FADE + i));
  });

  test("lets the other ring follow at the same frame of the timeline, early or late", () => {
    for (const start of [0, 300, 900]) {
      const { output, left, right, run, said } = setUp([0, start]);
      output.play(0);
      run(2);
      output.takeOver({ kind: "follow" });
      run(12);
      expect(said).toEqual(["took over 1"]);
      // Both carry the timeline: whatever the fade does, every frame comes once and in its place.
      left.forEach((x, i) => expect(x).toBeCloseTo(i, 3));
      expect(right.at(-1)).toBe(1);
      // At the boundary of a quantum, no earlier than the other has begun.
      const first = right.findIndex((x) => x > 0);
      expect(first).toBeGreaterThanOrEqual(Math.max(256, start));
      expect(first % QUANTUM).toBe(0);
    }
  });

  test("waits for a follower that is not ready, and never reads what it has passed", () => {
    const { output, run, said, rings, fill, right } = setUp([0, 100], [8192, 0]);
    output.play(0);
    output.takeOver({ kind: "follow" });
    run(4);
    expect(said).toEqual([]);
    expect(rings[1].position).toBe(384);
    fill(1, 100, 2000);
    run(4);
    expect(said).toEqual(["took over 1"]);
    expect(right.at(-1)).toBe(1);
    expect(rings[1].position).toBe(1024);
  });

  test("goes round a loop to the sample", () => {
    const { output, left, run, said } = setUp([0, 5000], [8192, 8192]);
    output.play(0);
    output.takeOver({ kind: "loop", at: 700 });
    run(10);
    expect(said).toEqual(["took over 1"]);
    expect(left.slice(0, 700)).toEqual(Array.from({ length: 700 }, (_, i) => i));
    expect(left.slice(700 + FADE)).toEqual(Array.from({ length: 1280 - 700 - FADE }, (_, i) => 5000 + FADE + i));
  });
});

test("a ring gives back what was written, round its end too", () => {
  const ring = new Ring(ringMemory());
  ring.restart(77);
  let written = 0,
    read = 0;
  const [l, r] = [new Float32Array(1000), new Float32Array(1000)];
  while (read < 100_000) {
    const n = 1 + ((written * 7919) % 900);
    ring.write(
      Float32Array.from({ length: n }, (_, i) => written + i),
      Float32Array.from({ length: n }, (_, i) => -written - i),
      0,
      n,
    );
    written += n;
    expect(ring.ahead).toBe(written - read);
    const got = ring.read(l, r, 3, 500);
    for (let i = 0; i < got; i++)
      if (l[3 + i] !== read + i || r[3 + i] !== -read - i) throw new Error(`frame ${read + i} is ${l[3 + i]}`);
    read += got;
    if (ring.ahead > 10_000) {
      ring.skipTo(77 + written);
      read = written;
    }
    expect(ring.position).toBe(77 + read);
  }
});
