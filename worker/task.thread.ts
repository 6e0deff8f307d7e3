import { parentPort, workerData } from "node:worker_threads";
import { BrokenDevice, MissingAudio, RealTimeOnly } from "../core/engine/library";
import { measureLoad } from "../core/engine/load";
import type { Agreement } from "../core/engine/render";
import { RenderCancelled, TooLong } from "../core/engine/render";
import { kernelBytesMade } from "../core/kernels/kernels";
import type { Frames } from "../core/units";
import { MalformedFile } from "../core/formats/bytes/bytes";
import { prepareReshaped } from "../server/audio/reshaped";
import { sha256OfFileNow } from "../server/audio/files";
import { NoRoom } from "../server/audio/room";
import { AudioStore } from "../server/audio/store";
import { saveAudio } from "./save-audio";
import { compareVersions } from "./compare-versions";
import { compareMixes, writeListening } from "./compare";
import { DecodeCancelled } from "./import/reader";
import { importFile } from "./import/import-file";
import { listenToPrints } from "./heard-prints";
import { renderFiles } from "./render-files";
import { seal } from "./seal";
import { joinSides, standIn, turned } from "./intake/make";
import { cutMedia } from "./session-files/media";
import { placeMedia } from "./session-files/place-media";
import type { Answers, FromThread, Task, TaskFault } from "./task";
import { TaskMemory } from "./task";

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

/** Of what is told as a part of the whole. */
function inThousandths(): (part: number) => boolean {
  const tell = progress();
  return (part) => tell(part * 1000);
}

function agreeOnEnd(end: Frames): Agreement {
  const { round } = memory;
  say({ say: "ended", end });
  const answer = memory.awaitAnswer(round);
  if (!answer) throw new RenderCancelled("The render was cancelled.");
  return answer;
}

async function carryOut(task: Task): Promise<Answers[keyof Answers]> {
  if (task.kind === "import") return importFile(task, inThousandths());
  if (task.kind === "seal") return seal(task);
  if (task.kind === "cut media") return cutMedia(task);
  if (task.kind === "join sides") return joinSides(task);
  if (task.kind === "stand in") return standIn(task);
  if (task.kind === "hash") return sha256OfFileNow(task.path);
  if (task.kind === "turn") return turned(task);
  if (task.kind === "judge" || task.kind === "align") {
    const { alignFiles, judge } = await import("./intake/judge");
    return task.kind === "judge" ? judge(task, inThousandths()) : alignFiles(task);
  }
  if (task.kind === "look" || task.kind === "open arrival") {
    const { lookAt, openArrival } = await import("./intake/look");
    return task.kind === "look" ? lookAt(task, inThousandths()) : openArrival(task, inThousandths());
  }
  if (task.kind === "write timeline") {
    const { writeTimelineFile } = await import("./session-files/timeline-file");
    return writeTimelineFile(task, inThousandths());
  }
  if (task.kind === "place media") {
    return placeMedia(task, inThousandths());
  }
  if (task.kind === "listen to prints") return listenToPrints(task);
  if (task.kind === "listen to package") {
    // Reads packages, which takes longer to load than everything that renders; few threads ever do.
    const { listenToPackage } = await import("./prove");
    return listenToPackage(task, inThousandths());
  }
  if (task.kind === "compare packages") {
    const { comparePackages } = await import("./compare-packages");
    return comparePackages(task, inThousandths());
  }
  if (task.kind === "compare" || task.kind === "listen") {
    const store = new AudioStore(task.dataRoot);
    await prepareReshaped(task.before, store);
    await prepareReshaped(task.after, store);
    return task.kind === "compare" ? compareMixes(task, progress()) : writeListening(task, progress());
  }
  if (task.kind === "compare versions") {
    const store = new AudioStore(task.dataRoot);
    await prepareReshaped(task.before, store);
    await prepareReshaped(task.after, store);
    return compareVersions(task, progress());
  }
  if (task.kind === "save audio") return saveAudio(task, progress());
  // The threads of a pass find it made; see `ThreadPool.render`.
  if (task.kind !== "help") await prepareReshaped(task.session, new AudioStore(task.dataRoot));
  switch (task.kind) {
    case "reshape":
      return null;
    case "help":
      return { files: renderFiles(task, { onProgress: progress(), cancelled: () => memory.cancelled }) };
    case "render":
      return {
        files: renderFiles(task, {
          onProgress: progress(),
          cancelled: () => memory.cancelled,
          // With helpers, the lead finds the end for all.
          ...(task.helpers ? {} : { agreeOnEnd }),
        }),
      };
    case "load": {
      const library = new AudioStore(task.dataRoot).library();
      try {
        return measureLoad(task.session, library.find, () => performance.now());
      } finally {
        library.close();
      }
    }
    case "hold to fresh": {
      const { holdToFresh } = await import("./prove");
      return holdToFresh(task, inThousandths());
    }
  }
}

function toFault(error: unknown): TaskFault {
  const message = error instanceof Error ? error.message : String(error);
  if (error instanceof RenderCancelled || error instanceof DecodeCancelled) return { kind: "cancelled", message };
  if (error instanceof MissingAudio) return { kind: "missing audio", message };
  if (error instanceof BrokenDevice) return { kind: "broken device", message };
  if (error instanceof RealTimeOnly) return { kind: "real time only", message };
  if (error instanceof TooLong) return { kind: "too long", message };
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
