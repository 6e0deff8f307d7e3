import { afterAll, beforeAll, describe, expect, test } from "vitest";
import { fresh } from "../../tests/setup/fresh";
import type { Fresh } from "../../tests/setup/fresh";
import { smallSession } from "../../tests/setup/small-session";
import { Refusal } from "../fault";
import { activeJobs, beginJob, cancelIsWanted, cancelJob, endJob, readJob, reportProgress, requestJob } from "./jobs";
import { createSession } from "./sessions";

let at: Fresh;
let session: string;
beforeAll(async () => {
  at = await fresh();
  session = (await createSession(at.db, await smallSession(at))).id;
});
afterAll(() => at.close());
const freeze = () => requestJob(at.db, session, { kind: "freeze", tracks: ["pad"] });
const queued = async () =>
  (await at.pool.query<{ n: number }>("select count(*)::int as n from graphile_worker._private_jobs")).rows[0]!.n;

describe("jobs", () => {
  test("one that waits is cancelled at once and leaves the queue", async () => {
    const before = await queued();
    const { id } = await freeze();
    expect(await queued()).toBe(before + 1);
    expect((await cancelJob(at.db, id)).status).toBe("cancelled");
    expect(await queued()).toBe(before);
    expect(await beginJob(at.db, id)).toBeNull();
  });

  test("a cancel of one that runs is remembered, so that a worker that missed the news still finds it", async () => {
    const { id } = await freeze();
    await beginJob(at.db, id);
    expect(await cancelIsWanted(at.db, id)).toBe(false);
    expect((await cancelJob(at.db, id)).status).toBe("running");
    expect(await cancelIsWanted(at.db, id)).toBe(true);
    // Its process died before it heard: the next one ends the job instead of running it again.
    expect(await beginJob(at.db, id)).toBeNull();
    expect((await readJob(at.db, id)).status).toBe("cancelled");
  });

  test("what is over stays as it is: no second run, no late progress, no late cancel", async () => {
    const { id } = await freeze();
    await beginJob(at.db, id);
    await at.db.transaction((tx) => endJob(tx, id, { status: "done", result: { kind: "load", total: 1 } }));
    await reportProgress(at.db, id, { stage: "late", done: 0.5, speed: null, secondsLeft: null });
    expect(await cancelJob(at.db, id)).toMatchObject({ status: "done", progress: { stage: "done", done: 1 } });
    expect(await beginJob(at.db, id)).toBeNull();
  });

  test("a measurement that waits already is not asked for twice; what cannot be done is refused and not queued", async () => {
    const first = await requestJob(at.db, session, { kind: "load" });
    expect((await requestJob(at.db, session, { kind: "load" })).id).toBe(first.id);
    const before = await queued();
    await expect(requestJob(at.db, session, { kind: "freeze", tracks: ["air"] })).rejects.toBeInstanceOf(Refusal);
    expect(await queued()).toBe(before);
    expect((await activeJobs(at.db, session)).map((j) => j.id)).toContain(first.id);
  });
});
