import type { BundleBeside } from "../../contract/bundle";
import type { FileFactsAsMade } from "../../contract/handoff";
import type { JobProgress } from "../../contract/job";
import type { Manifest } from "../../core/delivery/manifest";
import type { ExportPlan } from "../../core/delivery/plan";
import type { FileAsWritten } from "../../core/papers/facts";
import type { Session } from "../../core/session/document";
import type { AudioStore } from "../../server/audio/store";
import type { PackedFile } from "../../server/packages/write";
import type { PassSince, WrittenFile } from "../files/output-file";
import type { ThreadPool } from "../threads/threads";

/** A package that another one carries on. */
export interface EarlierPackage {
  readonly handoff: string;
  readonly manifest: Manifest;
  readonly facts: readonly FileFactsAsMade[];
  readonly path: string;
  /** Whether files that stayed as they were come along. */
  readonly full: boolean;
}

/**
 * What a package is made from. `id` and `revision` are the session's; `date` is the revision's and stands in every
 * file.
 */
export interface PackageOrder {
  readonly session: Session;
  readonly id: string;
  readonly revision: number;
  readonly plan: ExportPlan;
  readonly date: Date;
  readonly dataRoot: string;
  readonly earlier?: EarlierPackage | null;
  /** Packages of the session: what in them sounds the same up to a place is rendered from there on. */
  readonly before?: readonly Pick<EarlierPackage, "path" | "manifest">[];
  /** What is told in the session files, where that is more than what is delivered. */
  readonly document?: Session;
  /** What a bundle holds beside the document and its audio; needed where one is asked for. */
  readonly bundle?: BundleBeside | null;
}

/** A package still outside its place: its maker moves or removes both files. */
export interface MadePackage {
  readonly zipPath: string;
  readonly bytes: number;
  readonly manifest: Manifest;
  readonly facts: readonly FileFactsAsMade[];
  /** The mix that the stems should add up to; null where none was rendered. */
  readonly whole: WrittenFile | null;
  /** Of the pass, times real time; of none where everything was there. */
  readonly speed: number;
  /** See `passSince`. */
  readonly since: PassSince | null;
}

export interface Work {
  readonly store: AudioStore;
  readonly pool: ThreadPool;
  readonly threads: number;
  readonly signal: AbortSignal;
  readonly report: (progress: JobProgress) => void;
}

/** A file as it goes into a package: rendered, or as it was in an earlier one. */
export interface Ready extends FileAsWritten {
  readonly rate: number;
  readonly packed: PackedFile;
}
