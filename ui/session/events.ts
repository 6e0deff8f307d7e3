import type { Job } from "../../contract/job";
import type { MeasuredLoad, StepsEvent } from "../../contract/session";
import type { JobsPart } from "./jobs-part";
import { noted } from "./load-history";
import type { Steps } from "./steps";
import { RETRY_MS } from "./steps";
import type { StoreAccess } from "./session-store";

const dataOf = <T>(event: Event): T => JSON.parse((event as MessageEvent<string>).data) as T;

/** Follows what happens to a session on the server, also after a broken line; ends with the function it gives. */
export function listenTo(store: StoreAccess, steps: Steps, jobs: JobsPart): () => void {
  let isOver = false;
  /** Labels of the steps since the load was measured last. */
  let done: string[] = [];
  let source: EventSource;
  const open = () => {
    source = new EventSource(`/api/sessions/${store.get().id}/events?after=${store.get().sync.revision}`);
    source.addEventListener("steps", (event) => {
      const { steps: stored, undo, redo } = dataOf<StepsEvent>(event);
      const measuredAt = store.get().load?.revision ?? -1;
      done.push(...stored.filter((s) => s.revision > measuredAt).map((s) => s.step.label));
      steps.receive(stored, { undo, redo });
      jobs.welcome();
      steps.scheduleMeasure();
    });
    source.addEventListener("job", (event) => jobs.onJob(dataOf<Job>(event)));
    source.addEventListener("load", (event) => {
      const load = dataOf<MeasuredLoad | null>(event);
      if (load && load.revision !== store.get().load?.revision) {
        store.set({ load, loads: noted(store.get().loads, load, done) });
        done = [];
      }
      if (!load) steps.scheduleMeasure();
    });
    source.addEventListener("open", () => store.set({ online: true }));
    source.addEventListener("error", () => {
      store.set({ online: false });
      // The browser tries again by itself after a broken line, but not after an answer that was an error.
      if (source.readyState === EventSource.CLOSED)
        setTimeout(() => {
          if (!isOver) open();
        }, RETRY_MS);
    });
  };
  open();
  return () => {
    isOver = true;
    source.close();
    steps.stop();
  };
}
