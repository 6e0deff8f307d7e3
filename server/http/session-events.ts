import { log } from "../log";
import { database } from "../db/connect";
import { subscribe } from "../events";
import { activeJobs, readJob } from "../services/jobs";
import { readLabels, readLoad } from "../services/sessions";
import { stepsAfter } from "../services/steps";

const KEEP_ALIVE_MS = 15_000;
/** What is kept for a reader that has not taken it yet: nothing more is looked up until there is room for it. */
const AHEAD_BYTES = 1 << 20;

/** What a reader is still to be told. */
interface Due {
  readonly steps: boolean;
  readonly load: boolean;
  /** Every job that is going on, whatever was told of it. */
  readonly active: boolean;
  readonly jobs: ReadonlySet<string>;
}
const NOTHING: Due = { steps: false, load: false, active: false, jobs: new Set() };
/** Added to what is due, whose jobs stay: one of them may be over, and is told nowhere else. */
const EVERYTHING = { steps: true, load: true, active: true };

/**
 * Server-sent events about one session: `steps` (all after the revision the reader knows), `job`, `load`. What happened
 * while the reader was away is sent first, so a reader that reconnects misses nothing. One that is slow is told what
 * stands when its turn comes, every step of it; what waits for it here is bounded, however much happens.
 */
export function sessionEvents(session: string, after: number, signal: AbortSignal): ReadableStream<Uint8Array> {
  const { db } = database();
  const encoder = new TextEncoder();
  let known = after;
  let stop = () => {};
  /** A reader that has left must not be written to. */
  let listening = true;
  let hasTaken = () => {};
  return new ReadableStream<Uint8Array>(
    {
      start(controller) {
        const put = (text: string) => {
          if (listening) controller.enqueue(encoder.encode(text));
        };
        const send = (event: string, data: unknown, id?: number) =>
          put(`${id === undefined ? "" : `id: ${id}\n`}event: ${event}\ndata: ${JSON.stringify(data)}\n\n`);
        const hasRoom = () => (controller.desiredSize ?? 0) > 0;
        const room = async () => {
          while (listening && !hasRoom()) await new Promise<void>((go) => (hasTaken = go));
        };

        /** The labels of undo and redo are sent once, also where no step is missing. */
        let areLabelsSent = false;
        const steps = async () => {
          // All of them may be more than go out at once.
          while (listening) {
            const missing = await stepsAfter(db, session, known);
            if (missing.length === 0 && areLabelsSent) return;
            const labels = await readLabels(db, session);
            known = missing.at(-1)?.revision ?? known;
            send("steps", { steps: missing, ...labels }, known);
            areLabelsSent = true;
            await room();
          }
        };
        const sendDue = async (due: Due) => {
          if (due.steps) await steps();
          if (due.load) send("load", await readLoad(db, session));
          if (due.active) for (const job of await activeJobs(db, session)) send("job", job);
          for (const job of due.jobs) {
            await room();
            if (listening) send("job", await readJob(db, job));
          }
          await room();
        };

        // One thing at a time and in order, whatever order the database answers in.
        let due = NOTHING;
        let isSending = false;
        const sendAll = async () => {
          isSending = true;
          while (listening && due !== NOTHING) {
            const now = due;
            due = NOTHING;
            await sendDue(now);
          }
          isSending = false;
        };
        const add = (more: Partial<Due>) => {
          due = { ...due, ...more };
          if (isSending) return;
          sendAll().catch((error: unknown) => {
            log.error({ err: error }, "events");
            stop();
          });
        };

        const unsubscribe = subscribe(
          (event) => {
            if (event.session !== session) return;
            if (event.about === "revision") add({ steps: true });
            if (event.about === "load") add({ load: true });
            if (event.about === "job") add({ jobs: new Set([...due.jobs, event.job]) });
          },
          () => add(EVERYTHING),
        );
        const alive = setInterval(() => {
          if (hasRoom()) put(": still here\n\n");
        }, KEEP_ALIVE_MS);
        stop = () => {
          stop = () => {};
          listening = false;
          clearInterval(alive);
          unsubscribe();
          hasTaken();
          try {
            controller.close();
          } catch {
            // The reader has gone already.
          }
        };
        signal.addEventListener("abort", () => stop(), { once: true });
        add(EVERYTHING);
      },
      pull() {
        hasTaken();
      },
      cancel() {
        stop();
      },
    },
    { highWaterMark: AHEAD_BYTES, size: (chunk) => chunk.byteLength },
  );
}
