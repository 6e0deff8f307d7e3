import { Worker } from "node:worker_threads";
import { DEFAULT_BLOCK } from "../core/engine/render";
import { dearestFirst, sharePass, splitTaps } from "../core/engine/split";
import type { Frames } from "../core/units";
import type { Answers, FromThread, OutputFile, RenderTask, Task, WrittenFile } from "./task";
import { sharedSignalsMemory } from "./shared-signals";
import { TaskFailed, TaskMemory } from "./task";

export interface TaskOptions {
  readonly signal: AbortSignal;
  /** Frames of the timeline, or files, done so far. */
  readonly onProgress?: (done: number) => void;
}

interface Thread {
  readonly worker: Worker;
  readonly memory: TaskMemory;
}

/** Threads that carry out tasks. They are started when first needed and kept: starting one takes longer than a short print. */
export class ThreadPool {
  private readonly idle: Thread[] = [];
  private readonly all = new Set<Thread>();

  constructor(private readonly entry: string | URL) {}

  /** Does one task on one thread. Throws `TaskFailed`. */
  run<K extends Task["kind"]>(task: Extract<Task, { kind: K }>, options: TaskOptions): Promise<Answers[K]> {
    return this.start(task, options, null) as Promise<Answers[K]>;
  }

  /** Renders one pass with its taps divided over several threads. The bytes do not depend on how many. */
  async render(task: RenderTask, threads: number, options: TaskOptions): Promise<readonly WrittenFile[]> {
    const taps = task.files.map((f) => f.tap);
    // With two threads a pass that holds the mix is divided so that nothing is computed twice; else by its taps.
    const shared = threads === 2 ? sharePass(task.session, taps) : null;
    const helped = shared ? sharedSignalsMemory(shared.tracks, shared.given, task.blockFrames ?? DEFAULT_BLOCK) : undefined;
    const parts = shared ? [shared.lead, shared.help] : splitTaps(task.session, taps, threads);
    const meeting = new Meeting(parts.length);
    const done = parts.map((_, p) => (shared && p > 0 ? Infinity : 0));
    const stop = new AbortController();
    const signal = AbortSignal.any([options.signal, stop.signal]);
    const runs = parts.map((indices, p) => {
      const part = { ...task, files: indices.flatMap((i) => task.files[i] ?? []), ...(helped ? { helped } : {}) };
      const onProgress = (frames: Frames) => {
        done[p] = frames;
        options.onProgress?.(Math.min(...done));
      };
      return this.start(helped && p > 0 ? { ...part, kind: "help", helped } : part, { signal, onProgress }, helped ? null : meeting) as Promise<Answers["render"]>;
    });
    // One part that fails takes the others with it; they are waited for, so that no thread still writes afterwards.
    for (const run of runs) run.catch(() => stop.abort());
    const results = await Promise.allSettled(runs);
    const failures = results.flatMap((r) => (r.status === "rejected" ? [r.reason as unknown] : []));
    if (failures.length > 0) throw failures.find((f) => !(f instanceof TaskFailed && f.fault.kind === "cancelled")) ?? failures[0];
    const files: WrittenFile[] = [];
    results.forEach((result, p) => {
      if (result.status === "fulfilled") parts[p]?.forEach((i, k) => { const file = result.value.files[k]; if (file) files[i] = file; });
    });
    return files;
  }

  /**
   * Renders each file in a pass of its own, which ends with its own tail; the threads draw them one after the other, the dearest first, so that they end together without
   * anybody knowing before how long each takes. For files that have little in common; `onProgress` is told the mean.
   */
  async renderEach(task: RenderTask, threads: number, options: TaskOptions): Promise<readonly WrittenFile[]> {
    const order = [...dearestFirst(task.session, task.files.map((f) => f.tap))];
    const stop = new AbortController();
    const signal = AbortSignal.any([options.signal, stop.signal]);
    const done = task.files.map(() => 0);
    const files: WrittenFile[] = [];
    const draw = async (): Promise<void> => {
      for (let i = order.shift(); i !== undefined; i = order.shift()) {
        const file = task.files[i] as OutputFile;
        const one: RenderTask = { ...task, files: [file], to: file.cut?.to ?? task.to };
        const at = i;
        const onProgress = (frames: Frames) => {
          done[at] = frames;
          options.onProgress?.(done.reduce((a, b) => a + b, 0) / done.length);
        };
        const [written] = (await this.start(one, { signal, onProgress }, new Meeting(1)) as Answers["render"]).files;
        if (written) files[i] = written;
      }
    };
    const runs = Array.from({ length: Math.min(threads, task.files.length) }, () => draw().catch((error: unknown) => {
      stop.abort();
      throw error;
    }));
    // One that fails takes the others with it; they are waited for, so that no thread still writes afterwards.
    const failures = (await Promise.allSettled(runs)).flatMap((r) => (r.status === "rejected" ? [r.reason as unknown] : []));
    if (failures.length > 0) throw failures.find((f) => !(f instanceof TaskFailed && f.fault.kind === "cancelled")) ?? failures[0];
    return files;
  }

  async close(): Promise<void> {
    await Promise.all([...this.all].map(({ worker }) => worker.terminate()));
  }

  private start(task: Task, { signal, onProgress }: TaskOptions, meeting: Meeting | null): Promise<Answers[keyof Answers]> {
    if (signal.aborted) return Promise.reject(new TaskFailed({ kind: "cancelled", message: "The work was cancelled." }));
    const thread = this.idle.pop() ?? this.spawn();
    const { worker, memory } = thread;
    return new Promise((resolve, reject) => {
      const cancel = () => memory.cancel();
      signal.addEventListener("abort", cancel, { once: true });
      const release = (usable: boolean) => {
        signal.removeEventListener("abort", cancel);
        worker.off("message", onMessage).off("error", onError).off("exit", onExit);
        // A cancelled thread's flag stays raised; a new one is cheaper than reasoning about when to lower it.
        if (usable && !memory.cancelled) this.idle.push(thread);
        else {
          this.all.delete(thread);
          void worker.terminate();
        }
      };
      const onMessage = (message: FromThread) => {
        switch (message.say) {
          case "progress":
            onProgress?.(message.done);
            break;
          case "ended":
            if (meeting) meeting.propose(memory, message.end);
            else memory.answer(message.end, true);
            break;
          case "done":
            release(true);
            resolve(message.answer);
            break;
          case "failed":
            release(true);
            reject(new TaskFailed(message.fault));
            break;
        }
      };
      const lost = (message: string) => {
        release(false);
        reject(new TaskFailed({ kind: "other", message }));
      };
      const onError = (error: Error) => lost(error.stack ?? error.message);
      const onExit = (code: number) => lost(`the thread ended with ${code}`);
      worker.on("message", onMessage).on("error", onError).on("exit", onExit);
      worker.postMessage(task);
    });
  }

  private spawn(): Thread {
    const memory = new TaskMemory();
    const worker = new Worker(this.entry, { workerData: { buffer: memory.buffer } });
    const thread = { worker, memory };
    this.all.add(thread);
    return thread;
  }
}

/** Where the threads of one pass agree on its end: the latest anyone proposes, proposed again until all say the same. */
class Meeting {
  private proposals = new Map<TaskMemory, Frames>();

  constructor(private readonly members: number) {}

  propose(memory: TaskMemory, end: Frames): void {
    this.proposals.set(memory, end);
    if (this.proposals.size < this.members) return;
    const ends = [...this.proposals.values()];
    const latest = Math.max(...ends);
    const settled = ends.every((e) => e === latest);
    const members = [...this.proposals.keys()];
    this.proposals = new Map();
    for (const member of members) member.answer(latest, settled);
  }
}
