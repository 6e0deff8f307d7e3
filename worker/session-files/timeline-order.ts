import type { Timeline } from "../../core/timeline/timeline";

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
