import type { Job, ServiceFault } from "../../contract/job";
import type { MeasuredLoad } from "../../contract/session";
import type { Slip } from "../../core/printing/slip";
import type { Session } from "../../core/session/document";
import type { Edit, Step } from "../../core/session/edits";
import type { Placing } from "../../core/session/import";
import type { ClipRef } from "../../core/session/move-clips";
import type { Sync } from "../../core/session/sync";
import type { Frames } from "../../core/units";
import type { api } from "./api";
import type { LoadNote } from "./load-history";

export interface SelectedRange {
  readonly from: Frames;
  readonly to: Frames;
  readonly tracks: readonly string[];
}

/** Everything a screen shows, and the few ways to change it. Screens read `session`; changes go through `edit`. */
export interface SessionStore {
  readonly id: string;
  readonly session: Session;
  readonly sync: Sync;
  readonly undo: string | null;
  readonly redo: string | null;
  readonly load: MeasuredLoad | null;
  /** What was measured while this page is open, the last first. */
  readonly loads: readonly LoadNote[];
  /** Jobs that run, and the ones that ended while this page was open, by id. */
  readonly jobs: Readonly<Record<string, Job>>;
  readonly online: boolean;
  /** Tracks that a print of this page has just made. */
  readonly arrived: readonly string[];
  /** Ids of selected tracks, in the order they were chosen. */
  readonly selected: readonly string[];
  /** Clips that are chosen; the last one is the one whose numbers are shown. */
  readonly selectedClips: readonly ClipRef[];
  readonly selectedClip: ClipRef | null;
  /** A stretch of the timeline over some tracks. */
  readonly selectedRange: SelectedRange | null;
  /** Makes edits as one step; says why when they are not possible, and answers whether they were made. */
  edit(label: string, edits: readonly Edit[]): boolean;
  /** How many controls have been ridden in the live pass that is going on; null: there is none. */
  readonly riding: number | null;
  /**
   * From now on what hands turn is kept as moves, at the frames that `at` tells, instead of being an edit of the
   * session.
   */
  startRide(at: () => Frames): void;
  /** Keeps what a hand does before it lets go; answers whether a live pass is going on that took it. */
  ride(edits: readonly Edit[]): boolean;
  /** Ends the live pass: the session stands as it was before, and what was ridden is given out. */
  endRide(): Slip["moves"];
  /** A whole step made elsewhere, for instance a preflight fix. */
  take(step: Step): boolean;
  travel(direction: "undo" | "redo"): Promise<void>;
  freeze(tracks: readonly string[]): Promise<void>;
  print(slip: Slip): Promise<void>;
  /** Prints again from the sources as they are now, in place of the old prints. */
  refresh(prints: readonly string[], withTail?: boolean): Promise<void>;
  /** Brings a print's source back as it was; answers with the tracks that came back. */
  reopen(print: string): Promise<readonly string[]>;
  /** Has the mix before and after a print written, to be heard. */
  listen(print: string): Promise<void>;
  /** Lays an export's files on the session. */
  bringBack(handoff: string): Promise<void>;
  /** Holds an export against an earlier one. */
  differences(handoff: string, earlier: string): Promise<void>;
  /** Makes the session what it was at a point of its history; one step, which can be undone. */
  returnTo(revision: number): Promise<void>;
  /** Has a piece of audio written as a file, which the browser then saves; answers with the job. */
  saveAudio(how: Parameters<typeof api.saveAudio>[1]): Promise<string | null>;
  /** Finds what sounds different between two points of the history. */
  compareVersions(earlier: number, later: number): Promise<void>;
  /** All of the sheet, or what changed since an earlier export. */
  exportStems(since?: string | null, full?: boolean): Promise<void>;
  /** The session files of the sheet alone. */
  exportSessionFiles(): Promise<void>;
  /** Has a finished package read back and held to a fresh render. */
  prove(handoff: string): Promise<void>;
  /** Sends files and has them put on the timeline. */
  bringIn(files: readonly File[], place: Placing): Promise<void>;
  /** Puts files in the place of those that are missing. */
  supply(files: readonly File[]): Promise<void>;
  /** Puts presets of a file of instruments on tracks, in one step; null: on a new one. */
  putInstruments(
    file: string,
    puts: readonly { readonly preset: number; readonly track: string | null }[],
    /** How much of the stated attenuation counts; 1 unless it is said. */
    attenuation?: 1 | 0.4,
  ): Promise<void>;
  cancel(job: string): Promise<void>;
  select(tracks: readonly string[]): void;
  selectClip(clip: ClipRef | null): void;
  /** With `tracks`, those become the selected tracks; else the clips' own. */
  selectClips(clips: readonly ClipRef[], tracks?: readonly string[]): void;
  selectRange(range: SelectedRange | null): void;
  connect(): () => void;
}

/** Shown to the person: an error, or news. Given by the frame, so that this file has no interface in it. */
export interface Notices {
  fault(fault: ServiceFault): void;
  news(text: string): void;
  /** Hands a finished file to the browser, which saves it. */
  file(address: string, name: string): void;
  /** Whether the Bench is what is looked at. */
  onBench(): boolean;
}

/** Reads the store, and sets parts of it. */
export interface StoreAccess {
  get(): SessionStore;
  set(part: Partial<SessionStore>): void;
}
