import { log } from "../log";
import { database } from "../db/connect";
import { subscribe } from "../events";
import { activeJobs, readJob } from "../services/jobs";
import { readLabels, readLoad, stepsAfter } from "../services/sessions";

const KEEP_ALIVE_MS = 15_000;

/**
 * Server-sent events about one session: `steps` (all after the revision the reader knows), `job`, `load`. What happened
 * while nobody listened is caught up with, so a reader that reconnects misses nothing.
 */
export function sessionEvents(session: string, after: number, signal: AbortSignal): ReadableStream<Uint8Array> {
  const { db } = database();
  const encoder = new TextEncoder();
  let known = after;
  let stop = () => {};
  /** A reader that has left must not be written to. */
  let listening = true;
  return new ReadableStream({
    async start(controller) {
      const put = (text: string) => {
        if (listening) controller.enqueue(encoder.encode(text));
      };
      const send = (event: string, data: unknown, id?: number) =>
        put(`${id === undefined ? "" : `id: ${id}\n`}event: ${event}\ndata: ${JSON.stringify(data)}\n\n`);
      // One at a time and in order, whatever order the database answers in.
      let turn: Promise<void> = Promise.resolve();
      const next = (work: () => Promise<void>) => {
        turn = turn.then(work).catch((error: unknown) => {
          log.error({ err: error }, "events");
          stop();
        });
      };
      const steps = async () => {
        let missing = await stepsAfter(db, session, known);
        const labels = await readLabels(db, session);
        do {
          known = missing.at(-1)?.revision ?? known;
          send("steps", { steps: missing, ...labels }, known);
          // All there are may be more than are told at once.
          missing = missing.length > 0 && listening ? await stepsAfter(db, session, known) : [];
        } while (missing.length > 0);
      };
      const load = async () => send("load", await readLoad(db, session));
      const everything = async () => {
        await steps();
        await load();
        for (const job of await activeJobs(db, session)) send("job", job);
      };
      const unsubscribe = subscribe(
        (event) => {
          if (event.session !== session) return;
          if (event.about === "revision") next(steps);
          if (event.about === "load") next(load);
          if (event.about === "job") next(async () => send("job", await readJob(db, event.job)));
        },
        () => next(everything),
      );
      const alive = setInterval(() => put(": still here\n\n"), KEEP_ALIVE_MS);
      stop = () => {
        stop = () => {};
        listening = false;
        clearInterval(alive);
        unsubscribe();
        try {
          controller.close();
        } catch {
          // The reader has gone already.
        }
      };
      signal.addEventListener("abort", () => stop(), { once: true });
      next(everything);
    },
    cancel() {
      stop();
    },
  });
}
