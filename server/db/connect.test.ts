import { createServer } from "node:net";
import type { AddressInfo } from "node:net";
import { sql } from "drizzle-orm";
import { afterAll, beforeAll, describe, expect, test } from "vitest";
import type { Fresh } from "../../tests/setup/fresh";
import { fresh } from "../../tests/setup/fresh";
import { answer } from "../http/answer";
import type { Db } from "./connect";
import { connect, isDatabaseAway } from "./connect";
import { sessions } from "./schema";

let at: Fresh;
beforeAll(async () => {
  at = await fresh();
});
afterAll(() => at.close());

const failure = (work: Promise<unknown>): Promise<unknown> =>
  work.then(
    () => "nothing failed",
    (error: unknown) => error,
  );
const select = (db: Db) => db.select().from(sessions);
const inTransaction = (db: Db) => db.transaction((tx) => tx.select().from(sessions));

/** An address at which every connection is dealt with so. */
async function addressOf(deal: "is not there" | "ends at once"): Promise<{ url: string; close: () => void }> {
  const server = createServer((socket) => socket.on("error", () => undefined).end());
  await new Promise<void>((done) => server.listen(0, "127.0.0.1", done));
  const { port } = server.address() as AddressInfo;
  if (deal === "is not there") await new Promise((done) => server.close(done));
  return { url: `postgres://stemzo:x@127.0.0.1:${port}/stemzo`, close: () => server.close() };
}

describe("a database that is away is told from all else", () => {
  test.each([
    ["is not there", "a query", select],
    ["is not there", "a transaction", inTransaction],
    ["ends at once", "a query", select],
    ["ends at once", "a transaction", inTransaction],
  ] as const)("%s: %s", async (deal, _, work) => {
    const { url, close } = await addressOf(deal);
    const { db, pool } = connect(url, 1);
    expect(isDatabaseAway(await failure(work(db)))).toBe(true);
    await pool.end();
    close();
  });

  test("goes while it is asked", async () => {
    const { db, pool } = connect(at.url, 2);
    for (const work of [
      () => db.execute(sql`select pg_terminate_backend(pg_backend_pid())`),
      () =>
        db.transaction(async (tx) => {
          await tx.execute(sql`select pg_terminate_backend(pg_backend_pid())`).catch(() => undefined);
          await tx.select().from(sessions);
        }),
    ])
      expect(isDatabaseAway(await failure(work()))).toBe(true);
    await pool.end();
  });

  test("a transaction that stands still is ended, as of a process that was stopped in it", async () => {
    const { db, pool } = connect(at.url, 1);
    const { rows } = await db.execute(sql`show idle_in_transaction_session_timeout`);
    expect(rows).toEqual([{ idle_in_transaction_session_timeout: "25s" }]);
    const stood = db.transaction(async (tx) => {
      await tx.execute(sql`set local idle_in_transaction_session_timeout = 50`);
      await tx.select().from(sessions).for("update");
      await new Promise((resolve) => setTimeout(resolve, 500));
      await tx.select().from(sessions);
    });
    expect(isDatabaseAway(await failure(stood))).toBe(true);
    // Its locks are free, and the next connection is a new one.
    await at.db.transaction((tx) => tx.select().from(sessions).for("update"));
    await db.select().from(sessions);
    await pool.end();
  });

  test("what it answers itself, and what others do, is not", async () => {
    const { url, close } = await addressOf("is not there");
    const elsewhere = await failure(fetch(url.replace(/^.*@/, "http://")));
    for (const error of [
      await failure(at.db.execute(sql`select nothing from nowhere`)),
      await failure(at.db.transaction((tx) => tx.execute(sql`select 1 / 0`))),
      elsewhere,
      Object.assign(new Error("of a bucket", { cause: elsewhere }), { $metadata: {} }),
      "no error at all",
    ])
      expect(isDatabaseAway(error)).toBe(false);
    close();
  });

  test("a request is answered that it does not answer: 503, and what to do", async () => {
    const { url, close } = await addressOf("is not there");
    const { db, pool } = connect(url, 1);
    const response = await answer(async () => Response.json(await inTransaction(db)))(
      new Request("http://127.0.0.1:4870/x", { headers: { host: "127.0.0.1:4870" } }),
      { params: Promise.resolve({}) },
    );
    expect(response.status).toBe(503);
    expect(await response.json()).toMatchObject({ fault: { what: "The database does not answer." } });
    await pool.end();
    close();
  });
});
