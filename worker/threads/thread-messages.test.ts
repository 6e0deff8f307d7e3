import { Worker } from "node:worker_threads";
import { expect, test } from "vitest";
import { TaskMemory } from "./thread-messages";

test("a thread that waits is woken by an answer, and by a cancel", async () => {
  const memory = new TaskMemory();
  // The waiting side in plain JavaScript: a thread cannot load TypeScript.
  const wait = `
    const { workerData, parentPort } = require("node:worker_threads");
    const cells = new Int32Array(workerData, 0, 4), end = new Float64Array(workerData, 16, 1);
    const round = Atomics.load(cells, 1);
    parentPort.postMessage("waiting");
    while (Atomics.load(cells, 1) === round && Atomics.load(cells, 0) === 0) Atomics.wait(cells, 1, round, 250);
    parentPort.postMessage({ cancelled: Atomics.load(cells, 0) === 1, end: end[0], settled: Atomics.load(cells, 2) === 1 });`;
  const ask = (then: () => void) =>
    new Promise((resolve, reject) => {
      const worker = new Worker(wait, { eval: true, workerData: memory.buffer });
      worker.on("message", (m: unknown) => {
        if (m === "waiting") then();
        else resolve(m);
      });
      worker.on("error", reject);
    });
  expect(await ask(() => memory.answer(123456789, true))).toEqual({ cancelled: false, end: 123456789, settled: true });
  expect(await ask(() => memory.answer(42, false))).toEqual({ cancelled: false, end: 42, settled: false });
  expect(memory.round).toBe(2);
  expect(memory.awaitAnswer(1)).toEqual({ end: 42, settled: false });
  expect(await ask(() => memory.cancel())).toMatchObject({ cancelled: true });
  expect(memory.awaitAnswer(memory.round)).toBeNull();
});
