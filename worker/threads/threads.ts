import { rmSync, statfsSync } from "node:fs";
import { Worker } from "node:worker_threads";
import { frameBytes } from "../../core/formats/wav/format";
import { DEFAULT_BLOCK } from "../../core/engine/render";
import { dearestFirst, dividePass, splitTaps } from "../../core/engine/split";
import { reshapes } from "../../core/session/clips";
import type { Frames, Seconds } from "../../core/units";
import type { AudioStore } from "../../server/audio/store";
import { ROOM_KEPT_BYTES } from "../../server/limits";
import { debug } from "../../server/debug";
import { hasKept, keepCheckpoints, waitingPath } from "../render/checkpoints";
import { CHECKPOINT_S, checkpointsEvery } from "../render/splice";
import { sharedSignalsMemory } from "../render/shared-signals";
import type { OutputFile, RenderedFile, WrittenFile } from "../files/output-file";
import { sealed, sealing } from "../files/output-file";
import type { RenderTask } from "../render/render-files";
import { declarationOfTask, type AnswerOf, type Task, type TaskKind, type TaskOf } from "./tasks";
import type { FromThread, TaskFault } from "./thread-messages";
import { TaskFailed, TaskMemory } from "./thread-messages";

export interface TaskOptions {
  readonly signal: AbortSignal;
  /** Frames of the timeline, or files, done so far. */
  readonly onProgress?: (done: number) => void;
  /** A task that says nothing for so long is ended with its thread. */
  readonly stallMs?: number;
}

interface Thread {
  readonly worker: Worker;
  readonly memory: TaskMemory;
}

/** How long a cancelled task may take to hear of it. Then its thread is ended: a decoder at a loss hears nothing. */
const CANCEL_WITHIN_MS = 1000;

/**
 * What a thread may hold of short-lived objects before it sweeps them: it makes few, which would gather to tens of
 * megabytes over an hour of audio.
 */
const YOUNG_MB = 6;

/**
 * The most that a thread may hold of long-lived objects; what needs more fails with its thread and takes nothing else
 * along. The nearer a bound is, the less V8 lets its heap grow between two sweeps.
 */
const OLD_MB = 512;

/**
 * Threads that carry out tasks. They are started when first needed and kept: starting one takes longer than a short
 * print.
 */
export class ThreadPool {
  private readonly idle: Thread[] = [];
  private readonly all = new Set<Thread>();

  /**
   * `store`: brings what a task reads to this machine first, where that is kept elsewhere. `checkpointS`: how far apart
   * the checkpoints of a pass are.
   */
  constructor(
    private readonly entry: string | URL,
    private readonly store: AudioStore | null = null,
    private readonly checkpointS: Seconds = CHECKPOINT_S,
  ) {}

  /** Does one task on one thread. Throws `TaskFailed`. */
  async run<K extends TaskKind>(task: TaskOf<K>, options: TaskOptions): Promise<AnswerOf<K>> {
    await this.makeLocal(task, options);
    return this.start(task, options, null) as Promise<AnswerOf<K>>;
  }

  /** Renders one pass with its taps divided over several threads. The bytes do not depend on how many. */
  async render(task: RenderTask, threads: number, options: TaskOptions): Promise<readonly WrittenFile[]> {
    refuseWithoutRoom(task);
    await this.makeLocal(task, options);
    if (threads > 1) await this.reshapeOnce(task, options);
    return this.goingOn(task, options, (begun) => this.renderParts(begun, threads, options));
  }

  private async renderParts(task: RenderTask, threads: number, options: TaskOptions): Promise<Rendered> {
    const taps = task.files.map((f) => f.tap);
    // A pass that holds the mix is divided so that nothing is computed twice; another one by its taps.
    const divided = dividePass(task.session, taps, threads);
    const helpers = divided?.helpers.map(({ work }) => sharedSignalsMemory(work, task.blockFrames ?? DEFAULT_BLOCK));
    const parts = divided
      ? [divided.lead, ...divided.helpers.map((h) => h.taps)]
      : splitTaps(task.session, taps, threads);
    debug("engine", () => {
      const own = divided?.helpers.map((h) => `${h.work.tracks.length} tracks of helper`).join(", ");
      return `${taps.length} taps on ${parts.length} of ${threads} threads: ${parts.map((p) => p.length).join(" + ")}; ${own ?? "by taps"}`;
    });
    const meeting = new Meeting(parts.length);
    const done = parts.map((_, p) => (divided && p > 0 ? Infinity : 0));
    const stop = new AbortController();
    const signal = AbortSignal.any([options.signal, stop.signal]);
    const files: WrittenFile[] = [];
    const unsealed: { readonly at: number; readonly file: RenderedFile }[] = [];
    const rendered = parts.map(async (indices, p) => {
      const part = {
        ...task,
        files: indices.flatMap((i) => task.files[i] ?? []),
        ...(task.kept ? { kept: { ...task.kept, thread: p } } : {}),
      };
      const meets = p > 0 ? helpers?.[p - 1] : undefined;
      const onProgress = (frames: Frames) => {
        done[p] = frames;
        options.onProgress?.(Math.min(...done));
      };
      const answer = (await this.start(
        meets ? { ...part, kind: "help", meets } : { ...part, ...(helpers ? { helpers } : {}) },
        { signal, onProgress },
        divided ? null : meeting,
      )) as AnswerOf<"render">;
      answer.files.forEach((file, k) => unsealed.push({ at: indices[k] as number, file }));
    });
    // A thread that has rendered seals any finished file, so the threads end together, although it is not known how
    // long each renders.
    const runs = rendered.map(async (own) => {
      for (const part of [own, ...rendered]) {
        await part;
        for (let next = unsealed.shift(); next; next = unsealed.shift())
          files[next.at] = await this.seal(next.file, { signal });
      }
    });
    await allOrNothing(runs, stop, task.files);
    return { files, threads: parts.length };
  }

  /**
   * Renders a pass from where an earlier one is the same up to, if there is one, and keeps checkpoints of it. What an
   * earlier one left turns out to be unusable only when it is opened: then all of it is rendered.
   */
  private async goingOn(
    task: RenderTask,
    options: TaskOptions,
    render: (task: RenderTask) => Promise<Rendered>,
  ): Promise<readonly WrittenFile[]> {
    const [first, ...others] = task.files;
    const lane = others.length === 0 ? first?.order : task.lane;
    if (!first || lane === undefined || task.files.some((f) => f.order === undefined))
      return (await render(task)).files;
    const { session, files, dataRoot, earlier = [], blockFrames: block = DEFAULT_BLOCK } = task;
    // A first render has nowhere to look.
    const splice = hasKept(dataRoot, lane)
      ? await this.run<"seek">(
          { kind: "seek", session, files, lane, earlier, block, dataRoot },
          { signal: options.signal },
        )
      : null;
    const folder = waitingPath(first.path);
    const every = checkpointsEvery(this.checkpointS * session.rate, task.to, block);
    const begun = { ...task, kept: { folder, thread: 0, taps: files.map((f) => f.tap), every } };
    try {
      const rendered = await (splice ? render({ ...begun, splice }).catch(orAll(() => render(begun))) : render(begun));
      const audio = Object.fromEntries(files.map((f, i) => [f.order ?? "", rendered.files[i]?.sha256 ?? ""]));
      keepCheckpoints(dataRoot, folder, lane, rendered.threads, audio);
      return rendered.files;
    } finally {
      rmSync(folder, { recursive: true, force: true });
    }
  }

  /**
   * Renders each file in a pass of its own, which ends with its own tail; the threads draw them one after the other,
   * the dearest first, so that they end together without anybody knowing before how long each takes. For files that
   * have little in common; `onProgress` is told the mean.
   */
  async renderEach(task: RenderTask, threads: number, options: TaskOptions): Promise<readonly WrittenFile[]> {
    refuseWithoutRoom(task);
    await this.makeLocal(task, options);
    if (threads > 1) await this.reshapeOnce(task, options);
    const order = [
      ...dearestFirst(
        task.session,
        task.files.map((f) => f.tap),
      ),
    ];
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
        const [written] = await this.goingOn(one, { signal }, async (begun) => {
          const answer = (await this.start(begun, { signal, onProgress }, new Meeting(1))) as AnswerOf<"render">;
          return { files: await Promise.all(answer.files.map((f) => this.seal(f, { signal }))), threads: 1 };
        });
        if (written) files[i] = written;
      }
    };
    await allOrNothing(Array.from({ length: Math.min(threads, task.files.length) }, draw), stop, task.files);
    return files;
  }

  /** What clips need of stretched audio is made once, not by every thread of a pass that begins with it. */
  private async reshapeOnce({ session, dataRoot }: RenderTask, { signal }: TaskOptions): Promise<void> {
    if (reshapes(session).length > 0) await this.run<"reshape">({ kind: "reshape", session, dataRoot }, { signal });
  }

  /** Brings here what a task reads; a cancel is not kept waiting for what is on its way. */
  private async makeLocal(task: Task, { signal }: TaskOptions): Promise<void> {
    if (!this.store?.isShared) return;
    try {
      await this.store.waitingUntil(signal).makeLocal(declarationOfTask(task).reads?.(task) ?? []);
    } catch (error) {
      throw signal.aborted ? new TaskFailed({ kind: "cancelled", message: "The work was cancelled." }) : error;
    }
  }

  async close(): Promise<void> {
    await Promise.all([...this.all].map(({ worker }) => worker.terminate()));
  }

  private async seal(file: RenderedFile, options: TaskOptions): Promise<WrittenFile> {
    return sealed(file, await this.run<"seal">({ kind: "seal", path: file.path, ...file.seal }, options));
  }

  private start(task: Task, { signal, onProgress, stallMs }: TaskOptions, meeting: Meeting | null): Promise<unknown> {
    if (signal.aborted)
      return Promise.reject(new TaskFailed({ kind: "cancelled", message: "The work was cancelled." }));
    const thread = this.idle.pop() ?? this.spawn();
    const { worker, memory } = thread;
    return new Promise((resolve, reject) => {
      let timer: NodeJS.Timeout | null = null;
      const endBy = (ms: number, fault: TaskFault) => {
        if (timer) clearTimeout(timer);
        timer = setTimeout(() => {
          release(false);
          reject(new TaskFailed(fault));
        }, ms);
      };
      const heard = () => {
        if (stallMs !== undefined && !signal.aborted)
          endBy(stallMs, {
            kind: "malformed file",
            message: `It was given up after ${Math.round(stallMs / 1000)} s without getting any further`,
          });
      };
      const cancel = () => {
        memory.cancel();
        endBy(CANCEL_WITHIN_MS, { kind: "cancelled", message: "The work was cancelled." });
      };
      signal.addEventListener("abort", cancel, { once: true });
      heard();
      const release = (usable: boolean) => {
        if (timer) clearTimeout(timer);
        signal.removeEventListener("abort", cancel);
        worker.off("message", onMessage).off("error", onError).off("exit", onExit);
        // A cancelled thread's flag stays raised; a new one is cheaper than reasoning about when to lower it.
        if (usable && !memory.cancelled && !declarationOfTask(task).isHeavy) this.idle.push(thread);
        else {
          this.all.delete(thread);
          void worker.terminate();
        }
      };
      const onMessage = (message: FromThread) => {
        switch (message.say) {
          case "progress":
            heard();
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
    const worker = new Worker(this.entry, {
      workerData: { buffer: memory.buffer },
      resourceLimits: { maxYoungGenerationSizeMb: YOUNG_MB, maxOldGenerationSizeMb: OLD_MB },
    });
    const thread = { worker, memory };
    this.all.add(thread);
    return thread;
  }
}

/** Files of a pass, and how many threads it took. */
interface Rendered {
  readonly files: readonly WrittenFile[];
  readonly threads: number;
}

/** Does something else where an earlier pass turns out to be unusable. */
const orAll =
  <T>(otherwise: () => Promise<T>) =>
  (error: unknown): Promise<T> => {
    if (error instanceof TaskFailed && error.fault.kind === "checkpoint misfit") return otherwise();
    throw error;
  };

/** A pass that cannot end because the disk would be full first is not begun. */
function refuseWithoutRoom({ files, from, to, session, dataRoot }: RenderTask): void {
  const bytes = files.reduce(
    (sum, { cut, format }) =>
      sum + ((cut ? cut.to - cut.from : to - from) / session.rate) * format.rate * frameBytes(format),
    0,
  );
  const { bavail, bsize } = statfsSync(dataRoot);
  const free = bavail * bsize - ROOM_KEPT_BYTES;
  const gigabytes = (n: number) =>
    n >= 1e12 ? `${(n / 1e12).toFixed(1)} TB` : `${(Math.max(0, n) / 1e9).toFixed(1)} GB`;
  if (bytes > free)
    throw new TaskFailed({
      kind: "no room",
      message: `This would write ${gigabytes(bytes)}; ${gigabytes(free)} can be written.`,
    });
}

/** Waits for all, and leaves none of the files where one fails. */
async function allOrNothing(
  runs: readonly Promise<void>[],
  stop: AbortController,
  files: readonly OutputFile[],
): Promise<void> {
  try {
    await together(stop, runs);
  } catch (error) {
    for (const { path } of files) for (const left of [path, sealing(path)]) rmSync(left, { force: true });
    throw error;
  }
}

/**
 * Waits for all that listens to `stop`. One that fails takes the others with it; they are waited for, so that no thread
 * still writes afterwards, and what is thrown is why it failed and not that the others were cancelled.
 */
export async function together(stop: AbortController, runs: readonly Promise<unknown>[]): Promise<void> {
  for (const run of runs) run.catch(() => stop.abort());
  const failures = (await Promise.allSettled(runs)).flatMap((r) =>
    r.status === "rejected" ? [r.reason as unknown] : [],
  );
  if (failures.length === 0) return;
  throw failures.find((f) => !(f instanceof TaskFailed && f.fault.kind === "cancelled")) ?? failures[0];
}

/**
 * Where the threads of one pass agree on its end: the latest anyone proposes, proposed again until all say the same.
 */
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
