import { parentPort, workerData } from "node:worker_threads";
import { CheckpointMisfit } from "../../core/engine/checkpoint";
import { BrokenDevice, MissingAudio, RealTimeOnly } from "../../core/engine/library";
import type { Agreement } from "../../core/engine/render";
import { RenderCancelled, TooLong } from "../../core/engine/render";
import { kernelBytesMade } from "../../core/kernels/kernels";
import type { Frames } from "../../core/units";
import { MalformedFile } from "../../core/formats/bytes/bytes";
import { NoRoom } from "../../server/audio/room";
import { DecodeCancelled } from "../import/reader";
import { declarationOfTask, type Task } from "./tasks";
import type { FromThread, TaskFault } from "./thread-messages";
import { TaskMemory } from "./thread-messages";

/** A thread that does one task after another; everything it computes with is in the message. */
const port = parentPort;
if (!port) throw new Error("this file is the entry of a worker thread");
const memory = new TaskMemory((workerData as { buffer: SharedArrayBuffer }).buffer);
const say = (message: FromThread) => port.postMessage(message);

const PROGRESS_MS = 100;

function progress() {
  let last = 0;
  return (done: number): boolean => {
    const now = performance.now();
    if (now - last >= PROGRESS_MS) {
      last = now;
      say({ say: "progress", done });
    }
    return !memory.cancelled;
  };
}

function agreeOnEnd(end: Frames): Agreement {
  const { round } = memory;
  say({ say: "ended", end });
  const answer = memory.awaitAnswer(round);
  if (!answer) throw new RenderCancelled("The render was cancelled.");
  return answer;
}

async function carryOut(task: Task): Promise<unknown> {
  const work = await declarationOfTask(task).load();
  const onProgress = progress();
  return work(task, {
    onProgress,
    onPart: (part) => onProgress(part * 1000),
    isCancelled: () => memory.cancelled,
    agreeOnEnd,
  });
}

function toFault(error: unknown): TaskFault {
  const message = error instanceof Error ? error.message : String(error);
  if (error instanceof RenderCancelled || error instanceof DecodeCancelled) return { kind: "cancelled", message };
  if (error instanceof MissingAudio) return { kind: "missing audio", message };
  if (error instanceof BrokenDevice) return { kind: "broken device", message };
  if (error instanceof RealTimeOnly) return { kind: "real time only", message };
  if (error instanceof TooLong) return { kind: "too long", message };
  if (error instanceof CheckpointMisfit) return { kind: "checkpoint misfit", message };
  if (error instanceof NoRoom) return { kind: "no room", message };
  if (error instanceof MalformedFile) return { kind: "malformed file", message };
  return { kind: "other", message: error instanceof Error ? (error.stack ?? message) : message };
}

/**
 * A thread is swept of the memory of kernels that it has let go of (see `kernelBytesMade`) when it has nothing to do,
 * and at once where it may be this much.
 */
const SWEPT_AT_ONCE_BYTES = 64 << 20;
const IDLE_MS = 500;
let sweptAt = 0;
let idle: NodeJS.Timeout | undefined;

function sweep(): void {
  if (kernelBytesMade() === sweptAt) return;
  sweptAt = kernelBytesMade();
  // There where the process was started with --expose-gc.
  globalThis.gc?.();
}

function rest(): void {
  if (kernelBytesMade() - sweptAt >= SWEPT_AT_ONCE_BYTES) sweep();
  else idle = setTimeout(sweep, IDLE_MS).unref();
}

port.on("message", (task: Task) => {
  clearTimeout(idle);
  carryOut(task)
    .then(
      (answer) => say({ say: "done", answer }),
      (error: unknown) => say({ say: "failed", fault: toFault(error) }),
    )
    .finally(rest);
});
