import type { Clip, Session } from "../../core/session/document";
import type { Frames } from "../../core/units";
import type { Clock } from "../session/clock";
import type { TrackState } from "../session/track-state";
import type { LaneView } from "../timeline/view";

/** Everything that a picture of lanes shows. */
export interface LanesPicture {
  readonly session: Session;
  readonly clock: Clock;
  readonly states: ReadonlyMap<string, TrackState>;
  readonly view: LaneView;
  readonly selected: readonly string[];
  readonly chosen: ReadonlySet<string>;
  /** The clip under the pointer, which shows its handles. */
  readonly hovered: string | null;
  /** Clips as a drag would leave them, drawn in place of the stored ones, and how many rows further down. */
  readonly dragged: ReadonlyMap<string, Clip>;
  readonly rowsDown: number;
  /** The stretch that is chosen, over its tracks. */
  readonly range: { readonly from: Frames; readonly to: Frames; readonly tracks: readonly string[] } | null;
  /** Pixels the rows are scrolled up by. */
  readonly scrollTop: number;
  readonly rowHeight: number;
  readonly width: number;
  readonly height: number;
  /** Time markers and lines of pitch are drawn by the caller. */
  readonly plain?: boolean;
}
