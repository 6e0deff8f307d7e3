import { join } from "node:path";
import { pathToFileURL } from "node:url";
import fc from "fast-check";
import { afterAll, beforeAll, describe, expect, inject, test } from "vitest";
import { ThreadPool } from "../../worker/threads/threads";
import {
  FAULTS,
  Workshop,
  deliver,
  discard,
  inPlainFiles,
  prove,
  randomOrders,
  rangeAgainstWhole,
  spoil,
  wrongOf,
} from "../truth/deliveries";
import { share } from "../setup/share";

let workshop: Workshop;
beforeAll(async () => {
  workshop = new Workshop(new ThreadPool(pathToFileURL(join(inject("workerFolder"), "task.thread.mjs"))));
  await workshop.prepare();
});
afterAll(() => workshop.close());

describe("a share of the report of what holds", () => {
  test("packages of random sessions are found right, and ranges at another rate are cut from the whole", async () => {
    let [packages, ranges] = [0, 0];
    for (const order of fc.sample(randomOrders, { numRuns: share(9), seed: 41 })) {
      const session = workshop.real(order.session);
      const delivered = await deliver(workshop, session, order.threads);
      if (!delivered) continue;
      packages++;
      const wrong = wrongOf(await prove(workshop, session, delivered));
      discard(delivered);
      // What is driven beyond full scale is clipped in whole-number files, and rightly named.
      expect(wrong.filter((text) => !/^(clipping|sum)/.test(text))).toEqual([]);
      const worst =
        session.sheet.rate !== null && session.sheet.to !== null ? await rangeAgainstWhole(workshop, session) : null;
      if (worst === null) continue;
      ranges++;
      expect(worst).toBe(0);
    }
    expect([packages > share(5), ranges > 0]).toEqual([true, true]);
  }, 180_000);

  test("each kind of fault in a finished package is found, and the file named", async () => {
    const found = new Set<string>();
    for (const order of fc.sample(randomOrders, { numRuns: 40, seed: 43 })) {
      const kind = FAULTS.find((f) => !found.has(f));
      if (!kind) break;
      const session = inPlainFiles(workshop.real(order.session));
      const delivered = await deliver(workshop, session, order.threads);
      if (!delivered) continue;
      const file = await spoil(workshop, session, delivered, kind);
      if (file !== null) {
        const wrong = wrongOf(await prove(workshop, session, delivered));
        expect(
          wrong.some((text) => text.startsWith(`content of ${file}`)),
          `${kind}: ${JSON.stringify(wrong)}`,
        ).toBe(true);
        found.add(kind);
      }
      discard(delivered);
    }
    expect([...found].sort()).toEqual([...FAULTS].sort());
  }, 180_000);
});
