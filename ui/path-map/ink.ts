import type { PrintTap } from "../../core/printing/slip";

/** What the slip would print: of which tracks, and up to which tap. */
export interface Ink {
  readonly tracks: ReadonlySet<string>;
  readonly tap: PrintTap;
  /** In front of this device, where the tap stands between two. */
  readonly before: string | null;
}
