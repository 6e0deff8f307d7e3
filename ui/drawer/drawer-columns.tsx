import type { ReactNode } from "react";
import { HEAD_WIDTH, MAP_WIDTH } from "../timeline/view";

/** Twenty semitones of notes and their velocities. With the slip in one line, eight rows of lanes stay. */
export const DRAWER_HEIGHT = 284;

/** The three columns of the Bench, for a sheet that keeps to them. */
export function Columns({
  left,
  middle,
  right,
  lanes,
}: {
  readonly left: ReactNode;
  readonly middle: ReactNode;
  readonly right: ReactNode;
  readonly lanes: number;
}) {
  return (
    <div className="flex h-full">
      <div className="overflow-y-auto border-r border-rule py-1.5" style={{ width: HEAD_WIDTH }}>
        {left}
      </div>
      <div className="relative overflow-x-hidden overflow-y-auto" style={{ width: lanes }}>
        {middle}
      </div>
      <div className="overflow-y-auto border-l border-ink py-2 pr-8 pl-4 text-[12.5px]" style={{ width: MAP_WIDTH }}>
        {right}
      </div>
    </div>
  );
}
