import { join } from "node:path";
import { pathToFileURL } from "node:url";
import fc from "fast-check";
import { afterAll, beforeAll, expect, inject, test } from "vitest";
import { share } from "../../tests/setup/share";
import { Workshop } from "../../tests/truth/deliveries";
import { fixPass, fixedPasses } from "../../tests/truth/splices";
import { ThreadPool } from "../threads/threads";

let workshop: Workshop;
beforeAll(async () => {
  const threads = new ThreadPool(pathToFileURL(join(inject("workerFolder"), "task.thread.mjs")), null, 0.09);
  workshop = new Workshop(threads);
  await workshop.prepare();
});
afterAll(() => workshop.close());

test("after edits a pass of stems and mixes goes on from a checkpoint, on any number of threads, to the same bytes", async () => {
  const seen = { spliced: 0, whole: 0 };
  for (const how of fc.sample(fixedPasses, { numRuns: share(45), seed: 51 })) {
    const made = await fixPass(workshop, how);
    if (!made) continue;
    expect([made.different, how.edits], JSON.stringify({ ...how, session: null })).toEqual([[], how.edits]);
    seen[made.spliced ? "spliced" : "whole"]++;
  }
  expect(seen.spliced).toBeGreaterThan(share(9));
  expect(seen.whole).toBeGreaterThan(2);
}, 300_000);
