import { create } from "zustand";
import { persist } from "zustand/middleware";

export type Grid = "bar" | "beat" | "1/2" | "1/3" | "1/4" | "none";
export type Nudge = "grid" | "10 ms" | "1 ms" | "1 frame";
export type RowSize = "low" | "middle" | "tall";

/** How the Bench behaves under this person's hands; kept in the browser, not with the session. */
export interface BenchSettings {
  readonly grid: Grid;
  readonly toClips: boolean;
  readonly toOnsets: boolean;
  /** Trimmed edges go to the nearest crossing of zero, within five milliseconds. */
  readonly atZero: boolean;
  readonly nudge: Nudge;
  readonly rows: RowSize;
  change(settings: Partial<Omit<BenchSettings, "change">>): void;
}

export const useBenchSettings = create<BenchSettings>()(
  persist(
    (set) => ({
      grid: "beat",
      toClips: true,
      toOnsets: false,
      atZero: false,
      nudge: "grid",
      rows: "low",
      change: (settings) => set(settings),
    }),
    { name: "stemzo-bench", skipHydration: true },
  ),
);
