import type { Differing } from "../core/analysis/difference";
import type { Measures } from "../core/analysis/measure";
import type { LoadReport } from "../core/engine/load";
import type { Tail } from "../core/engine/tail";
import type { Tap } from "../core/engine/tap";
import type { Label } from "../core/formats/label";
import type { Bext, WavChunk, WavFormat } from "../core/formats/wav/format";
import type { Finding } from "../core/printing/findings";
import type { PrintFile, PrintPlan } from "../core/printing/print";
import type { Alignment } from "../core/interchange/answers";
import type { StatedTempo } from "../core/mending/judge-set";
import type { Drift, Judged, SetFile } from "../core/mending/set";
import type { Session } from "../core/session/document";
import type { ExportPlan } from "../core/delivery/plan";
import type { Frames } from "../core/units";
import type { PackageDifferences } from "./compare-packages";
import type { PrintedFacts } from "../contract/jobs/kind";
import type { Timeline } from "../core/timeline/timeline";
import type { HeldToFresh, Listened } from "./prove";
import type { Arrival } from "../contract/intake";
import type { PieceOfFile } from "../server/audio/file-bytes";
import type { SentFile } from "./intake/items";
import type { OpenedArrival } from "./intake/look";
import type { MediaFile } from "./session-files/media";
import type { SharedSignalsMemory } from "./shared-signals";

/** One file that a render writes while it runs. */
export interface OutputFile {
  readonly tap: Tap;
  readonly path: string;
  readonly format: WavFormat & { readonly depth: "16" | "24" | "32f"; readonly channels: 2 };
  readonly ditherSeed: number | null;
  readonly bext: Bext;
  /** Names and marks of other kinds, by how many channels the file turns out to have. */
  readonly chunks?: { readonly stereo: readonly WavChunk[]; readonly mono: readonly WavChunk[] };
  /** Silence in front of everything, at the file's own rate. */
  readonly leadFrames?: Frames;
  /** It ends with its own last sound. */
  readonly trims?: boolean;
  /** What it is made into when it is whole; a WAV where nothing is said. */
  readonly make?: Make;
  /** Write one channel when both turn out to be the same to the last bit. */
  readonly foldMono: boolean;
  /** The file's own stretch of a pass that runs longer; `exact`: it ends there, whatever rings. */
  readonly cut?: { readonly from: Frames; readonly to: Frames; readonly exact?: true };
  /** Half the sum of both channels, or one of them, in both. */
  readonly fold?: "mono" | "left" | "right";
  /** Made into a loop of so many frames, at the session's rate; the pass begins `lead` frames before it. */
  readonly loop?: { readonly frames: Frames; readonly lead: Frames };
}

/** A pass, or one thread's part of one. */
export interface RenderTask {
  readonly kind: "render";
  readonly session: Session;
  readonly files: readonly OutputFile[];
  readonly from: Frames;
  readonly to: Frames;
  readonly tail: Tail;
  readonly endAt?: Frames;
  readonly dataRoot: string;
  readonly blockFrames?: Frames;
  /** Which pass in real time this is: it takes as long as what it plays. */
  readonly pass?: number;
  /** Parts of the pass are computed by helpers, which give signals of them. */
  readonly helpers?: readonly SharedSignalsMemory[];
}

/** A helper's part of a pass. */
export interface HelpTask extends Omit<RenderTask, "kind" | "helpers"> {
  readonly kind: "help";
  readonly meets: SharedSignalsMemory;
}

/** Another format than WAV, and what the file says in it. */
export interface Make {
  readonly as: "aiff" | "flac" | "mp3";
  readonly label: Label;
}

/** Makes a finished WAV what it is to be, and takes its digest. */
export interface SealTask {
  readonly kind: "seal";
  readonly path: string;
  /** Both of its channels are the same, and one of them is wanted. */
  readonly fold: boolean;
  /** So many frames of it are kept. */
  readonly frames: Frames;
  /** What a WAV says beside its sound with the channels it ends up with. */
  readonly chunks?: readonly WavChunk[];
  readonly make?: Make;
}

/** What a file is called while it is sealed. A thread that is ended meanwhile leaves it behind. */
export const sealing = (path: string): string => `${path}.sealed`;

export interface Seal {
  readonly bytes: number;
  readonly sha256: string;
  /** At `rate`. */
  readonly frames: Frames;
  readonly rate: number;
}

/** A file that is whole but for its seal; `format` is what it will be. */
export interface RenderedFile extends Omit<WrittenFile, "bytes" | "sha256"> {
  readonly seal: Omit<SealTask, "kind" | "path">;
}

export const sealed = ({ seal: _asked, ...file }: RenderedFile, { rate, ...seal }: Seal): WrittenFile => ({
  ...file,
  ...seal,
  format: { ...file.format, rate },
});

export interface WrittenFile {
  readonly path: string;
  readonly format: WavFormat;
  readonly frames: Frames;
  readonly bytes: number;
  readonly sha256: string;
  readonly measures: Measures;
  readonly overview: Uint8Array;
}

export interface LoadTask {
  readonly kind: "load";
  readonly session: Session;
  readonly dataRoot: string;
}

/**
 * Measures every file of a package by itself. `wholePath`: the mix that its stems should add up to, from the same pass,
 * at the delivered rate; null where none was made.
 */
export interface ListenToPackageTask {
  readonly kind: "listen to package";
  readonly zipPath: string;
  readonly wholePath: string | null;
  readonly dataRoot: string;
}

/** Renders a delivery again in one thread and holds the package to it. */
export interface HoldToFreshTask {
  readonly kind: "hold to fresh";
  readonly session: Session;
  readonly plan: ExportPlan;
  readonly zipPath: string;
  readonly dataRoot: string;
}

/** Makes a file that was sent into one the engine reads. */
export interface ImportTask {
  readonly kind: "import";
  /** A file, or a part of one. */
  readonly from: string | PieceOfFile;
  /** The one channel that is wanted, from 0; without it all. */
  readonly pick?: number;
  readonly to: string;
  readonly name: string;
  /** The session's. */
  readonly rate: number;
}

export interface ImportedFile {
  /** The file's, with the channel's number where it is one of several. */
  readonly name: string;
  readonly file: WrittenFile;
  /** What the file was, at which rate and depth, before. */
  readonly kind: string;
  readonly rate: number;
  readonly depth: "16" | "24" | "32f";
  readonly timeReference: Frames | null;
}

/** Writes a file with its sides swapped, inverted, as one channel, or resampled to the set's clock. */
export interface TurnTask {
  readonly kind: "turn";
  readonly from: string;
  readonly to: string;
  readonly swap: boolean;
  readonly invert: boolean;
  readonly mono: boolean;
  readonly drift: Drift | null;
}

/** Measures how a file lies to another of the same rate that it should be like. */
export interface AlignTask {
  readonly kind: "align";
  readonly file: string;
  readonly sent: string;
}

/** Judges files of one rate as a set of stems. */
export interface JudgeTask {
  readonly kind: "judge";
  readonly files: readonly (Omit<SetFile, "audio"> & { readonly stored: string })[];
  readonly mix: string | null;
  readonly rate: number;
  readonly tempo: StatedTempo;
}

/** Writes the mix of two sessions and their difference over a stretch. */
export interface ListenTask {
  readonly kind: "listen";
  readonly before: Session;
  readonly after: Session;
  readonly from: Frames;
  readonly to: Frames;
  readonly dataRoot: string;
  readonly paths: { readonly before: string; readonly after: string; readonly difference: string };
}

export interface Listening {
  readonly before: WrittenFile;
  readonly after: WrittenFile;
  readonly difference: WrittenFile;
  /** The largest sample of the difference; null: not one bit of it is left. */
  readonly peakDb: number | null;
}

/** Listens to finished prints, and to the clips they were made of. */
export interface ListenToPrintsTask {
  readonly kind: "listen to prints";
  readonly document: Session;
  readonly plan: Pick<PrintPlan, "slip" | "tail">;
  readonly prints: readonly {
    readonly file: PrintFile;
    readonly hash: string;
    readonly frames: Frames;
    readonly rate: number;
    readonly measures: Measures;
  }[];
  readonly dataRoot: string;
}

/** What is found in one of them. */
export type HeardPrint = Pick<PrintedFacts, "seam"> & { readonly findings: readonly Finding[] };

/** Makes what a session's clips need of stretched and transposed audio, so that the threads of a pass find it. */
export interface ReshapeTask {
  readonly kind: "reshape";
  readonly session: Session;
  readonly dataRoot: string;
}

/** Holds two packages against each other. */
export interface ComparePackagesTask {
  readonly kind: "compare packages";
  readonly earlierPath: string;
  readonly laterPath: string;
  readonly dataRoot: string;
}

/** Plays the mix of two sessions against each other. */
export interface CompareTask {
  readonly kind: "compare";
  readonly before: Session;
  readonly after: Session;
  readonly dataRoot: string;
  readonly scratch: string;
}

/** Writes a stored file as another one; see its job. */
export interface SaveAudioTask {
  readonly kind: "save audio";
  readonly from: string;
  readonly to: string;
  readonly title: string;
  readonly song: string;
  readonly bpm: number;
  readonly date: string;
  readonly format: "wav" | "aiff" | "flac" | "mp3";
  readonly rate: number | null;
  readonly depth: "16" | "24" | "32f";
  readonly dither: boolean;
  readonly channels: "as it is" | "mono" | "stereo";
}

/** Plays taps of two versions of a session against each other; one scratch file a tap. */
export interface CompareVersionsTask {
  readonly kind: "compare versions";
  readonly before: Session;
  readonly after: Session;
  readonly taps: readonly Tap[];
  readonly dataRoot: string;
  readonly scratch: readonly string[];
}

/** What is left when one mix is taken from the other: its peak, and where; null: nothing at all. */
export interface Residue {
  readonly peakDb: number | null;
  readonly at: Frames;
}

/** Writes a stretch of a stored file, or one channel of it, as a file of its own. */
export interface CutTask {
  readonly kind: "cut media";
  readonly from: string;
  readonly to: string;
  readonly window: { readonly from: Frames; readonly to: Frames } | null;
  readonly channel: 0 | 1 | null;
  /** What stands in its broadcast extension; null: it has none. */
  readonly bext: Bext | null;
}

/**
 * Writes a timeline as a session file with its audio inside; AAF files are also written without. `media`: where the
 * timeline's lie, in its order. `date`: in milliseconds, as it stands in the file.
 */
export interface WriteTimelineTask {
  readonly kind: "write timeline";
  readonly as: "aaf" | "dawproject" | "otio";
  readonly timeline: Timeline;
  readonly media: readonly { readonly path: string; readonly bytes: number }[];
  readonly audio: "inside" | "beside";
  /** Absolute path of the folder that it will lie in, where it is known. */
  readonly folder?: string;
  readonly to: string;
  readonly name: string;
  readonly date: number;
  /** The file is there, and other threads put media into the places that are left for them. */
  readonly leavesMedia?: boolean;
  /** Of media that stand in a ZIP already: the CRC-32 of each. */
  readonly sums?: readonly number[];
}

/** Puts files into places that were left for them in another; `sums`: and answers with the CRC-32 of each. */
export interface PlaceMediaTask {
  readonly kind: "place media";
  readonly to: string;
  readonly sums: boolean;
  readonly pieces: readonly { readonly path: string; readonly bytes: number; readonly at: number }[];
}

/** SHA-256 of a file. */
export interface HashTask {
  readonly kind: "hash";
  readonly path: string;
}

/** Looks at files that were sent. */
export interface LookTask {
  readonly kind: "look";
  readonly files: readonly SentFile[];
  readonly dataRoot: string;
}

/** Opens what was sent as one of the sessions that it can be opened as. */
export interface OpenTask {
  readonly kind: "open arrival";
  readonly files: readonly SentFile[];
  readonly candidate: string;
  readonly dataRoot: string;
}

/** Makes two mono files the sides of one. */
export interface JoinTask {
  readonly kind: "join sides";
  readonly left: string;
  readonly right: string;
  readonly to: string;
}

/** Writes silence that stands for a file that is missing; `name` is in it, so that no two are the same. */
export interface StandInTask {
  readonly kind: "stand in";
  readonly name: string;
  readonly frames: Frames;
  readonly channels: 1 | 2;
  readonly rate: number;
  readonly to: string;
}

export type Task =
  | LookTask
  | OpenTask
  | JoinTask
  | StandInTask
  | CutTask
  | WriteTimelineTask
  | PlaceMediaTask
  | HashTask
  | RenderTask
  | HelpTask
  | LoadTask
  | ListenToPackageTask
  | HoldToFreshTask
  | ImportTask
  | TurnTask
  | JudgeTask
  | AlignTask
  | CompareTask
  | CompareVersionsTask
  | SaveAudioTask
  | ComparePackagesTask
  | ListenTask
  | ListenToPrintsTask
  | ReshapeTask
  | SealTask;

/** What a task answers with when it is done. */
export interface Answers {
  readonly render: { readonly files: readonly RenderedFile[] };
  readonly help: { readonly files: readonly RenderedFile[] };
  readonly seal: Seal;
  readonly load: LoadReport;
  readonly "listen to package": Listened;
  readonly "hold to fresh": HeldToFresh;
  readonly import: readonly ImportedFile[];
  readonly look: Arrival;
  readonly "open arrival": OpenedArrival;
  readonly "join sides": WrittenFile;
  readonly "stand in": WrittenFile;
  readonly turn: WrittenFile;
  readonly judge: Judged;
  readonly align: Alignment | null;
  readonly "cut media": MediaFile;
  /** Bytes of the file. */
  readonly "write timeline": number;
  readonly "place media": readonly number[];
  readonly hash: string;
  readonly compare: Residue;
  readonly "compare packages": PackageDifferences;
  readonly "compare versions": readonly Differing[];
  readonly "save audio": WrittenFile;
  readonly listen: Listening;
  readonly "listen to prints": readonly HeardPrint[];
  readonly reshape: null;
}

/** Thread to process. `ended` asks for agreement on where the pass ends. */
export type FromThread =
  | { readonly say: "progress"; readonly done: number }
  | { readonly say: "ended"; readonly end: Frames }
  | { readonly say: "done"; readonly answer: Answers[keyof Answers] }
  | { readonly say: "failed"; readonly fault: TaskFault };

/** An error on its way between threads; `kind` is the class it was raised as. */
export interface TaskFault {
  readonly kind:
    | "cancelled"
    | "missing audio"
    | "broken device"
    | "real time only"
    | "malformed file"
    | "too long"
    | "no room"
    | "other";
  readonly message: string;
}

export class TaskFailed extends Error {
  override readonly name = "TaskFailed";
  constructor(readonly fault: TaskFault) {
    super(fault.message);
  }
}

/**
 * Memory a task shares with the process that started it: a flag that cancels it, and the answer to `ended`.
 * Cells: 0 cancel, 1 round (raised with every answer), 2 settled.
 */
export class TaskMemory {
  private readonly cells: Int32Array;
  private readonly end: Float64Array;

  constructor(readonly buffer = new SharedArrayBuffer(32)) {
    this.cells = new Int32Array(buffer, 0, 4);
    this.end = new Float64Array(buffer, 16, 1);
  }

  get cancelled(): boolean {
    return Atomics.load(this.cells, 0) !== 0;
  }

  cancel(): void {
    Atomics.store(this.cells, 0, 1);
    Atomics.notify(this.cells, 1);
  }

  answer(end: Frames, settled: boolean): void {
    this.end[0] = end;
    Atomics.store(this.cells, 2, settled ? 1 : 0);
    Atomics.add(this.cells, 1, 1);
    Atomics.notify(this.cells, 1);
  }

  get round(): number {
    return Atomics.load(this.cells, 1);
  }

  /** Blocks the calling thread until an answer after `round`, or until cancelled (null). */
  awaitAnswer(round: number): { readonly end: Frames; readonly settled: boolean } | null {
    while (this.round === round) {
      if (this.cancelled) return null;
      Atomics.wait(this.cells, 1, round, 250);
    }
    return { end: this.end[0] ?? 0, settled: Atomics.load(this.cells, 2) === 1 };
  }
}
