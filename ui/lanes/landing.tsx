import type { Session } from "../../core/session/document";
import { takesAudio } from "../../core/session/import";
import { shownName } from "../../core/session/names";
import { barText, clockOf } from "../session/clock";
import type { LaneView } from "../timeline/view";
import { xOf } from "../timeline/view";
import type { DropPlace } from "./use-lane-drop";

interface Props {
  readonly place: DropPlace;
  /** The tracks that are shown, from the top. */
  readonly session: Session;
  readonly view: LaneView;
  /** CSS pixels. */
  readonly rowHeight: number;
}

/** Where dragged audio would begin: a line in the row it would come into; in all of them for a new track. */
export function Landing({ place, view, session, rowHeight }: Props) {
  const row = session.tracks.findIndex((t) => t.id === place.track);
  const track = session.tracks[row];
  const takes = track !== undefined && takesAudio(track);
  const left = xOf(view, place.frame);
  return (
    <div
      role="status"
      className="pointer-events-none absolute left-0 z-20 border-l-2 border-spot"
      style={{
        transform: `translateX(${left}px)`,
        ...(takes ? { top: row * rowHeight, height: rowHeight } : { top: 0, bottom: 0 }),
      }}
    >
      <span className="figure sticky top-1 block rounded-r-sm bg-spot px-1.5 text-[11px] whitespace-nowrap text-on-spot">
        {takes ? shownName(track) : "new track"} · {barText(clockOf(session), place.frame)}
      </span>
    </div>
  );
}
