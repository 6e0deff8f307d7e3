"use client";

import { Magnet } from "lucide-react";
import { Choice } from "../parts/choice";
import { Floating } from "../parts/floating";
import type { Grid, Nudge, RowSize } from "./settings";
import { useBenchSettings } from "./settings";

const GRIDS: readonly { readonly value: Grid; readonly label: string }[] = [
  { value: "bar", label: "bars" },
  { value: "beat", label: "beats" },
  { value: "1/2", label: "half beats" },
  { value: "1/3", label: "thirds of a beat" },
  { value: "1/4", label: "quarter beats" },
  { value: "none", label: "no grid" },
];
const NUDGES: readonly { readonly value: Nudge; readonly label: string }[] = [
  { value: "grid", label: "one step of the grid" },
  { value: "10 ms", label: "10 ms" },
  { value: "1 ms", label: "1 ms" },
  { value: "1 frame", label: "one frame" },
];
const ROWS: readonly { readonly value: RowSize; readonly label: string }[] = [
  { value: "low", label: "low" },
  { value: "middle", label: "middle" },
  { value: "tall", label: "tall" },
];

/** What dragging holds on to, how far an arrow key goes, how tall rows are. */
export function BenchSettingsButton() {
  const settings = useBenchSettings();
  const { change } = settings;
  const check = (key: "toClips" | "toOnsets" | "atZero", label: string, about: string) => (
    <label className="flex items-baseline gap-2">
      <input
        type="checkbox"
        className="relative top-[2px] size-4 accent-[var(--spot)]"
        checked={settings[key]}
        onChange={(e) => change({ [key]: e.target.checked })}
      />
      <span>
        {label}
        <span className="block text-xs text-soft">{about}</span>
      </span>
    </label>
  );
  return (
    <Floating
      label="Grid and steps"
      side="bottom"
      width={300}
      trigger={
        <button
          type="button"
          aria-label="Grid and steps"
          title="Grid and steps"
          className="grid size-6 place-items-center rounded-sm text-soft hover:bg-shade hover:text-ink"
        >
          <Magnet size={14} aria-hidden />
        </button>
      }
    >
      <div className="grid grid-cols-[96px_1fr] items-center gap-2">
        <span className="text-soft">Hold on to</span>
        <Choice label="Grid" value={settings.grid} options={GRIDS} onChange={(grid) => change({ grid })} />
      </div>
      <div className="mt-3 grid gap-2">
        {check("toClips", "and to edges of other clips", "and to markers and saved ranges, when they are near")}
        {check("toOnsets", "and to where sounds begin", "found in the recordings themselves")}
        {check("atZero", "trim at crossings of zero", "an edge goes up to 5 ms further, so that it does not click")}
      </div>
      <p className="mt-2 text-xs text-soft">Hold Alt while dragging to hold on to nothing.</p>
      <div className="mt-3 grid grid-cols-[96px_1fr] items-center gap-2 border-t border-rule pt-3">
        <span className="text-soft">Arrow keys go</span>
        <Choice
          label="Step of the arrow keys"
          value={settings.nudge}
          options={NUDGES}
          onChange={(nudge) => change({ nudge })}
        />
        <span className="text-soft">Rows are</span>
        <Choice label="Height of rows" value={settings.rows} options={ROWS} onChange={(rows) => change({ rows })} />
      </div>
    </Floating>
  );
}
