import { afterAll, beforeAll, expect, test, vi } from "vitest";
import type { Fresh } from "../tests/setup/fresh";
import { fresh } from "../tests/setup/fresh";
import type { SessionEvent } from "./events";
import { announce, subscribe } from "./events";

let at: Fresh;
beforeAll(async () => {
  at = await fresh();
});
afterAll(() => at.close());

/** Hears everything from now on; waits until the line stands. */
async function hearing() {
  const heard: SessionEvent[] = [];
  let stands = false;
  const stop = subscribe(
    (event) => void heard.push(event),
    () => {
      stands = true;
    },
  );
  // A connection that stands already says nothing of it: its listener knows by the first message.
  await vi.waitFor(async () => {
    await announce(at.db, { about: "load", session: "knock" });
    expect(stands || heard.length > 0).toBe(true);
  });
  await vi.waitFor(() => expect(heard.some((e) => e.session === "knock")).toBe(true));
  return { heard, stop };
}

test("what is announced in a transaction is heard when it commits, and not at all when it does not", async () => {
  const { heard, stop } = await hearing();
  await at.db
    .transaction(async (tx) => {
      await announce(tx, { about: "revision", session: "given-up", revision: 1 });
      throw new Error("given up");
    })
    .catch(() => undefined);
  await at.db.transaction(async (tx) => {
    await announce(tx, { about: "revision", session: "kept", revision: 1 });
    await announce(tx, { about: "job", session: "kept", job: "j" });
    expect(heard.some((e) => e.session === "kept")).toBe(false);
  });
  await vi.waitFor(() =>
    expect(heard.filter((e) => e.session === "kept")).toEqual([
      { about: "revision", session: "kept", revision: 1 },
      { about: "job", session: "kept", job: "j" },
    ]),
  );
  expect(heard.some((e) => e.session === "given-up")).toBe(false);
  stop();
});

test("who has left hears nothing more; a line that was cut is taken up again, and that is said", async () => {
  const first = await hearing();
  first.stop();
  const count = first.heard.length;
  let resumed = 0;
  const heard: SessionEvent[] = [];
  const stop = subscribe(
    (event) => void heard.push(event),
    () => resumed++,
  );
  await at.pool.query(
    "select pg_terminate_backend(pid) from pg_stat_activity where query like 'listen%' and datname = current_database()",
  );
  await vi.waitFor(() => expect(resumed).toBeGreaterThan(0));
  await announce(at.db, { about: "load", session: "after" });
  await vi.waitFor(() => expect(heard.some((e) => e.session === "after")).toBe(true));
  expect(first.heard.length).toBe(count);
  stop();
});
