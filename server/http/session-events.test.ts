import { randomBytes } from "node:crypto";
import { afterAll, beforeAll, expect, test } from "vitest";
import type { Job } from "../../contract/job";
import type { StepsEvent } from "../../contract/session";
import type { Edit } from "../../core/session/edits";
import type { Fresh } from "../../tests/setup/fresh";
import { fresh } from "../../tests/setup/fresh";
import { smallSession } from "../../tests/setup/small-session";
import { announce } from "../events";
import { cancelJob, requestJob } from "../services/jobs";
import { createSession } from "../services/sessions";
import { postSteps } from "../services/steps";
import { sessionEvents } from "./session-events";

let at: Fresh;
let id: string;
beforeAll(async () => {
  at = await fresh();
  ({ id } = await createSession(at.db, await smallSession(at)));
});
afterAll(() => at.close());

interface Told {
  readonly event: string;
  readonly data: unknown;
}

/** Reads what comes until `isEnough` of it has, and says so. */
async function read(
  reader: ReadableStreamDefaultReader<Uint8Array>,
  told: Told[],
  isEnough: () => boolean,
): Promise<void> {
  const decoder = new TextDecoder();
  let text = "";
  while (!isEnough()) {
    const { value, done } = await reader.read();
    if (done) throw new Error("it ended");
    text += decoder.decode(value, { stream: true });
    const parts = text.split("\n\n");
    text = parts.pop() ?? "";
    for (const part of parts) {
      const [, event = ""] = /^event: (.*)$/m.exec(part) ?? [];
      const [, data = "null"] = /^data: (.*)$/m.exec(part) ?? [];
      if (event !== "") told.push({ event, data: JSON.parse(data) });
    }
  }
}
const revisions = (told: readonly Told[]): readonly number[] =>
  told.flatMap((t) => (t.event === "steps" ? (t.data as StepsEvent).steps.map((s) => s.revision) : []));

/** Steps of some megabytes each, which cannot be packed. */
const large = (n: number) => ({
  id: `large-${n}`,
  step: {
    label: `Large ${n}`,
    edits: Array.from({ length: 8000 }, (): Edit => ({
      do: "set",
      in: "tracks",
      id: "pad",
      patch: { name: randomBytes(140).toString("base64") },
    })),
  },
});

test("a reader that does not read has little waiting for it, and is told every step and how jobs stand when it does", async () => {
  const LARGE = 10;
  for (let n = 0; n < LARGE; n++) await postSteps(at.db, id, n, [large(n)]);
  const gone = new AbortController();
  const reader = sessionEvents(id, 0, gone.signal).getReader();
  const told: Told[] = [];
  await read(reader, told, () => told.length === 1);
  // The next part waits now, and nothing behind it: what happens meanwhile is no more to be told than what stands then.
  await new Promise((resolve) => setTimeout(resolve, 1000));
  const job = await requestJob(at.db, id, { kind: "export", since: null, full: true, only: null });
  for (let n = 0; n < 300; n++) await announce(at.db, { about: "job", session: id, job: job.id });
  await cancelJob(at.db, job.id);
  await postSteps(at.db, id, LARGE, [{ id: "last", step: { label: "Last", edits: large(0).step.edits.slice(0, 1) } }]);
  await new Promise((resolve) => setTimeout(resolve, 500));

  const jobsTold = () => told.filter((t) => t.event === "job").map((t) => t.data as Job);
  await read(reader, told, () => revisions(told).includes(LARGE + 1) && jobsTold().length > 0);
  expect(revisions(told)).toEqual(Array.from({ length: LARGE + 1 }, (_, n) => n + 1));
  // Every part says what undo would take back when it was looked up.
  const undo = told.filter((t) => t.event === "steps").map((t) => (t.data as StepsEvent).undo);
  expect(undo.length).toBeGreaterThan(3);
  expect(undo.slice(2)).toEqual(undo.slice(2).map(() => "Last"));
  expect(jobsTold().length).toBeLessThan(5);
  expect(jobsTold().at(-1)).toMatchObject({ id: job.id, status: "cancelled" });
  gone.abort();
}, 60_000);

test("a reader that keeps up is told everything as it happens, and nothing once it has left", async () => {
  const gone = new AbortController();
  const stream = sessionEvents(id, 11, gone.signal);
  const reader = stream.getReader();
  const told: Told[] = [];
  await read(reader, told, () => told.some((t) => t.event === "load"));
  for (let n = 0; n < 20; n++) {
    const edit: Edit = { do: "set", in: "tracks", id: "pad", patch: { name: `Pad ${n}` } };
    await postSteps(at.db, id, 11 + n, [{ id: `small-${n}`, step: { label: `Small ${n}`, edits: [edit] } }]);
    await read(reader, told, () => revisions(told).includes(12 + n));
  }
  expect(revisions(told)).toEqual(Array.from({ length: 20 }, (_, n) => 12 + n));
  // Nothing is told again but what stood when the line was opened: no step, and what undo would take back.
  expect(told.filter((t) => t.event === "steps" && (t.data as StepsEvent).steps.length === 0).length).toBe(1);
  gone.abort();
  await postSteps(at.db, id, 31, [{ id: "late", step: { label: "Late", edits: large(0).step.edits.slice(0, 1) } }]);
  const isLate = () => revisions(told).includes(32);
  await expect(read(reader, told, isLate)).rejects.toThrow("it ended");
});
