import type { Differing } from "../../core/analysis/difference";
import type { LoadReport } from "../../core/engine/load";
import type { Agreement } from "../../core/engine/render";
import type { Alignment } from "../../core/interchange/answers";
import type { Judged } from "../../core/mending/set";
import type { Session } from "../../core/session/document";
import type { Frames } from "../../core/units";
import type { Arrival } from "../../contract/intake";
import type { ComparePackagesTask, PackageDifferences } from "../compare/compare-packages";
import type { CompareTask, ListenTask, Listening, Residue } from "../compare/compare";
import type { CompareVersionsTask } from "../compare/compare-versions";
import type { HeardPrint, ListenToPrintsTask } from "../render/heard-prints";
import type { InstrumentsInFile, MadeInstrument, MakeInstrumentTask, ReadInstrumentsTask } from "../instruments/make";
import type { ImportTask, ImportedFile } from "../import/import-file";
import type { AlignTask, JudgeTask } from "../candidates/judge";
import type { LookTask, OpenTask, OpenedArrival } from "../candidates/look";
import type { JoinTask, StandInTask, TurnTask } from "../candidates/make";
import type { RenderedFile, Seal, WrittenFile } from "../files/output-file";
import type { HeldToFresh, HoldToFreshTask, ListenToPackageTask, Listened } from "../proof/prove";
import type { HelpTask, RenderTask } from "../render/render-files";
import type { SaveAudioTask } from "../render/save-audio";
import type { SealTask } from "../render/seal";
import type { SeekTask, Splice } from "../render/splice";
import type { CutTask, MediaFile } from "../session-files/media";
import type { PlaceMediaTask } from "../session-files/place-media";
import type { WriteTimelineTask } from "../session-files/timeline-order";

export interface LoadTask {
  readonly kind: "load";
  readonly session: Session;
  readonly dataRoot: string;
}

/** Makes what a session's clips need of stretched and transposed audio, so that the threads of a pass find it. */
export interface ReshapeTask {
  readonly kind: "reshape";
  readonly session: Session;
  readonly dataRoot: string;
}

/** SHA-256 of a file. */
export interface HashTask {
  readonly kind: "hash";
  readonly path: string;
}

/** What a thread gives the task that it does. */
export interface ThreadContext {
  /** Reports what is done, in the task's own unit; false: the task was cancelled. */
  readonly onProgress: (done: number) => boolean;
  /** Reports a part of the whole, 0 to 1; false: the task was cancelled. */
  readonly onPart: (part: number) => boolean;
  readonly isCancelled: () => boolean;
  /** Asks the other threads of a pass where it ends. */
  readonly agreeOnEnd: (end: Frames) => Agreement;
}

/** A kind of task, by its order and its answer. */
interface Declaration<T, A> {
  /** It builds large models of what it reads or writes: its thread ends with it and gives the memory back. */
  readonly isHeavy?: true;
  /** Hashes of the stored audio that it reads. */
  readonly reads?: (task: T) => readonly string[];
  /** Loads what does it, in the thread. */
  readonly load: () => Promise<(task: T, context: ThreadContext) => A | Promise<A>>;
}

const task = <T, A>(declaration: Declaration<T, A>) => declaration;

const assetsOf = (...sessions: readonly Session[]): readonly string[] => [
  ...new Set(sessions.flatMap((s) => s.assets.map((a) => a.id))),
];
const ofSession = ({ session }: { readonly session: Session }) => assetsOf(session);
const ofBoth = ({ before, after }: { readonly before: Session; readonly after: Session }) => assetsOf(before, after);

/** The audio of sessions as their clips need it: reshaped where they are stretched. */
async function prepared(dataRoot: string, ...sessions: readonly Session[]) {
  const [{ AudioStore }, { prepareReshaped }] = await Promise.all([
    import("../../server/audio/store"),
    import("../../server/audio/reshaped"),
  ]);
  const store = new AudioStore(dataRoot);
  for (const session of sessions) await prepareReshaped(session, store);
  return store;
}

/** Everything that threads do. */
export const TASKS = {
  render: task<RenderTask, { readonly files: readonly RenderedFile[] }>({
    reads: ofSession,
    load: async () => {
      const { renderFiles } = await import("../render/render-files");
      return async (order, { onProgress, isCancelled, agreeOnEnd }) => {
        await prepared(order.dataRoot, order.session);
        // With helpers, the lead finds the end for all.
        const ends = order.helpers ? {} : { agreeOnEnd };
        return { files: renderFiles(order, { onProgress, cancelled: isCancelled, ...ends }) };
      };
    },
  }),
  /** A helper finds stretched audio made: see `ThreadPool.render`. */
  help: task<HelpTask, { readonly files: readonly RenderedFile[] }>({
    reads: ofSession,
    load: async () => {
      const { renderFiles } = await import("../render/render-files");
      return (order, { onProgress, isCancelled }) => ({
        files: renderFiles(order, { onProgress, cancelled: isCancelled }),
      });
    },
  }),
  seek: task<SeekTask, Splice | null>({
    load: async () => (await import("../render/splice")).seek,
  }),
  reshape: task<ReshapeTask, null>({
    reads: ofSession,
    load: () =>
      Promise.resolve(async (order) => {
        await prepared(order.dataRoot, order.session);
        return null;
      }),
  }),
  seal: task<SealTask, Seal>({ load: async () => (await import("../render/seal")).seal }),
  hash: task<HashTask, string>({
    load: async () => {
      const { sha256OfFileNow } = await import("../../server/audio/files");
      return ({ path }) => sha256OfFileNow(path);
    },
  }),
  load: task<LoadTask, LoadReport>({
    reads: ofSession,
    load: async () => {
      const { measureLoad } = await import("../../core/engine/load");
      return async ({ dataRoot, session }) => {
        const library = (await prepared(dataRoot, session)).library();
        try {
          return measureLoad(session, library.find, () => performance.now());
        } finally {
          library.close();
        }
      };
    },
  }),
  import: task<ImportTask, readonly ImportedFile[]>({
    load: async () => {
      const { importFile } = await import("../import/import-file");
      return (order, { onPart }) => importFile(order, onPart);
    },
  }),
  look: task<LookTask, Arrival>({
    isHeavy: true,
    load: async () => {
      const { lookAt } = await import("../candidates/look");
      return (order, { onPart }) => lookAt(order, onPart);
    },
  }),
  "open arrival": task<OpenTask, OpenedArrival>({
    isHeavy: true,
    load: async () => {
      const { openArrival } = await import("../candidates/look");
      return (order, { onPart }) => openArrival(order, onPart);
    },
  }),
  "read instruments": task<ReadInstrumentsTask, InstrumentsInFile>({
    load: async () => (await import("../instruments/make")).readInstruments,
  }),
  "make instrument": task<MakeInstrumentTask, MadeInstrument>({
    load: async () => {
      const { makeInstrument } = await import("../instruments/make");
      return (order, { onPart }) => makeInstrument(order, onPart);
    },
  }),
  "join sides": task<JoinTask, WrittenFile>({ load: async () => (await import("../candidates/make")).joinSides }),
  "stand in": task<StandInTask, WrittenFile>({ load: async () => (await import("../candidates/make")).standIn }),
  turn: task<TurnTask, WrittenFile>({ load: async () => (await import("../candidates/make")).turned }),
  judge: task<JudgeTask, Judged>({
    load: async () => {
      const { judge } = await import("../candidates/judge");
      return (order, { onPart }) => judge(order, onPart);
    },
  }),
  align: task<AlignTask, Alignment | null>({ load: async () => (await import("../candidates/judge")).alignFiles }),
  "cut media": task<CutTask, MediaFile>({ load: async () => (await import("../session-files/media")).cutMedia }),
  /** Answers with the bytes of the file. */
  "write timeline": task<WriteTimelineTask, number>({
    isHeavy: true,
    load: async () => {
      const { writeTimelineFile } = await import("../session-files/timeline-file");
      return (order, { onPart }) => writeTimelineFile(order, onPart);
    },
  }),
  "place media": task<PlaceMediaTask, readonly number[]>({
    load: async () => {
      const { placeMedia } = await import("../session-files/place-media");
      return (order, { onPart }) => placeMedia(order, onPart);
    },
  }),
  listen: task<ListenTask, Listening>({
    reads: ofBoth,
    load: async () => {
      const { writeListening } = await import("../compare/compare");
      return async (order, { onProgress }) => {
        await prepared(order.dataRoot, order.before, order.after);
        return writeListening(order, onProgress);
      };
    },
  }),
  compare: task<CompareTask, Residue>({
    reads: ofBoth,
    load: async () => {
      const { compareMixes } = await import("../compare/compare");
      return async (order, { onProgress }) => {
        await prepared(order.dataRoot, order.before, order.after);
        return compareMixes(order, onProgress);
      };
    },
  }),
  "compare versions": task<CompareVersionsTask, readonly Differing[]>({
    reads: ofBoth,
    load: async () => {
      const { compareVersions } = await import("../compare/compare-versions");
      return async (order, { onProgress }) => {
        await prepared(order.dataRoot, order.before, order.after);
        return compareVersions(order, onProgress);
      };
    },
  }),
  "compare packages": task<ComparePackagesTask, PackageDifferences>({
    load: async () => {
      const { comparePackages } = await import("../compare/compare-packages");
      return (order, { onPart }) => comparePackages(order, onPart);
    },
  }),
  "save audio": task<SaveAudioTask, WrittenFile>({
    load: async () => {
      const { saveAudio } = await import("../render/save-audio");
      return (order, { onProgress }) => saveAudio(order, onProgress);
    },
  }),
  "listen to prints": task<ListenToPrintsTask, readonly HeardPrint[]>({
    reads: ({ document, prints }) => [...assetsOf(document), ...prints.map((p) => p.hash)],
    load: async () => (await import("../render/heard-prints")).listenToPrints,
  }),
  "listen to package": task<ListenToPackageTask, Listened>({
    isHeavy: true,
    load: async () => {
      const { listenToPackage } = await import("../proof/prove");
      return (order, { onPart }) => listenToPackage(order, onPart);
    },
  }),
  "hold to fresh": task<HoldToFreshTask, HeldToFresh>({
    reads: ofSession,
    load: async () => {
      const { holdToFresh } = await import("../proof/prove");
      return async (order, { onPart }) => {
        await prepared(order.dataRoot, order.session);
        return holdToFresh(order, onPart);
      };
    },
  }),
};

type Kinds = typeof TASKS;
export type TaskKind = keyof Kinds;
type WorkOf<K extends TaskKind> = Awaited<ReturnType<Kinds[K]["load"]>>;
export type Task = { [K in TaskKind]: Parameters<WorkOf<K>>[0] }[TaskKind];
export type TaskOf<K extends TaskKind> = Extract<Task, { readonly kind: K }>;
export type AnswerOf<K extends TaskKind> = Awaited<ReturnType<WorkOf<K>>>;

/** The declaration of any task; its order and its answer belong together. */
export const declarationOfTask = ({ kind }: Task) => TASKS[kind] as unknown as Declaration<Task, unknown>;
