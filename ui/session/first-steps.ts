import { create } from "zustand";
import { persist } from "zustand/middleware";
import type { Job } from "../../contract/job";

/** The job from end to end, as a newcomer does it on the demo. */
export const FIRST_STEPS = [
  { id: "listen", label: "Listen", about: "Press play or the space bar.", screen: "", control: "play" },
  {
    id: "freeze",
    label: "Freeze",
    about: "Select a track, then press Freeze: it plays its own print.",
    screen: "",
    control: "freeze",
  },
  {
    id: "print",
    label: "Print",
    about: "Select a track, then Bounce or Print…: it becomes audio on a new track.",
    screen: "",
    control: "bounce",
  },
  {
    id: "export",
    label: "Export",
    about: "The stem sheet: aligned, named files in one package.",
    screen: "/stems",
    control: "export",
  },
  { id: "proof", label: "Proof", about: "The package is read back and measured.", screen: "/proof", control: null },
  {
    id: "deliver",
    label: "Deliver",
    about: "Make a private link, or download the package.",
    screen: "/handoff",
    control: "link",
  },
] as const;

export type FirstStep = (typeof FIRST_STEPS)[number]["id"];

interface FirstSteps {
  readonly done: readonly FirstStep[];
  /** For good: it is not shown again in this browser. */
  readonly isDismissed: boolean;
  /** What the browser has kept was read: before that it is not known whether they were dismissed. */
  readonly isKnown: boolean;
  tick(step: FirstStep): void;
  dismiss(): void;
}

/** What a newcomer has done; kept in the browser. */
export const useFirstSteps = create<FirstSteps>()(
  persist(
    (set, get) => ({
      done: [],
      isDismissed: false,
      isKnown: false,
      tick: (step) => {
        if (!get().done.includes(step)) set({ done: [...get().done, step] });
      },
      dismiss: () => set({ isDismissed: true }),
    }),
    {
      name: "stemzo-first-steps",
      skipHydration: true,
      partialize: ({ done, isDismissed }) => ({ done, isDismissed }),
      merge: (kept, now) => ({ ...now, ...(kept as Partial<FirstSteps> | undefined), isKnown: true }),
    },
  ),
);

/** The step that a job which is done has done; null: none. */
export function stepOfJob({ status, result }: Pick<Job, "status" | "result">): FirstStep | null {
  if (status !== "done") return null;
  return result?.kind === "freeze" || result?.kind === "print" || result?.kind === "export" ? result.kind : null;
}

/** The next step to do; null: all are done. */
export const nextStep = (done: readonly FirstStep[]): FirstStep | null =>
  FIRST_STEPS.find(({ id }) => !done.includes(id))?.id ?? null;
