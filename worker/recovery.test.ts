import { randomUUID } from "node:crypto";
import { afterAll, beforeAll, expect, test } from "vitest";
import { eq } from "drizzle-orm";
import { renderProcesses } from "../server/db/schema";
import type { Fresh } from "../tests/setup/fresh";
import { fresh } from "../tests/setup/fresh";
import { announceProcess, releaseDead } from "./recovery";

let at: Fresh;
beforeAll(async () => {
  at = await fresh();
});
afterAll(() => at.close());

test("a process whose lease has run out has lost its jobs though its connection stands; it hears of it and ends", async () => {
  const id = `pool-${randomUUID()}`;
  let lost: Error | null = null;
  const leave = await announceProcess(id, (error) => {
    lost = error;
  });
  expect(await releaseDead(at.db)).toBe(0);
  // As it stands in the table when a machine was stopped for half a minute.
  await at.db
    .update(renderProcesses)
    .set({ seenAt: new Date(Date.now() - 31_000) })
    .where(eq(renderProcesses.poolId, id));
  expect(await releaseDead(at.db)).toBe(1);
  expect(await at.db.select().from(renderProcesses).where(eq(renderProcesses.poolId, id))).toEqual([]);
  for (const until = Date.now() + 15_000; lost === null && Date.now() < until;)
    await new Promise((resolve) => setTimeout(resolve, 50));
  expect((lost as Error | null)?.message).toContain("its jobs went to others");
  await leave();
}, 30_000);
