"use client";

import { Check, X } from "lucide-react";
import { useRouter } from "next/navigation";
import { useEffect } from "react";
import { DEMO_ID } from "../../contract/demo-id";
import { FIRST_STEPS, nextStep, useFirstSteps } from "../session/first-steps";
import { useSession, useSessionStore } from "../session/provider";
import { pathOf } from "../session/screens";
import { sortSelection } from "../session/selection";

type Step = (typeof FIRST_STEPS)[number];

/** How long a screen is waited for that a step leads to, in milliseconds. */
const SHOWN_WITHIN_MS = 5000;

/** Focuses the control of a step and lets it flash, as soon as it is there. */
function pointAt(control: string, since = performance.now()): void {
  const found = document.querySelector<HTMLElement>(`[data-control="${control}"]:not([disabled])`);
  if (found) {
    found.focus();
    found.classList.add("pointed-at");
    setTimeout(() => found.classList.remove("pointed-at"), 2400);
  } else if (performance.now() - since < SHOWN_WITHIN_MS) requestAnimationFrame(() => pointAt(control, since));
}

/** On the demo, the whole job in six steps: each leads to its control and is ticked when it is done. */
export function FirstSteps() {
  const id = useSession((s) => s.id);
  const { done, isDismissed, isKnown, dismiss } = useFirstSteps();
  useEffect(() => void useFirstSteps.persist.rehydrate(), []);
  const next = nextStep(done);
  if (id !== DEMO_ID || isDismissed || !isKnown) return <div />;
  return (
    <section
      aria-label="First ten minutes"
      className="flex h-7 items-center gap-1 border-b border-rule bg-spot-wash px-4 text-[12.5px]"
    >
      <b className="mr-2 font-semibold">{next === null ? "You have done the whole job." : "First ten minutes"}</b>
      <ol className="flex items-center gap-1">
        {FIRST_STEPS.map((step, i) => (
          <StepButton
            key={step.id}
            step={step}
            number={i + 1}
            isDone={done.includes(step.id)}
            isNext={step.id === next}
          />
        ))}
      </ol>
      <span className="min-w-0 flex-1 truncate pl-2 text-soft">{FIRST_STEPS.find((s) => s.id === next)?.about}</span>
      <button
        type="button"
        aria-label="Close the first steps for good"
        title="Close for good"
        onClick={dismiss}
        className="grid size-6 place-items-center rounded-sm text-soft hover:bg-shade hover:text-ink"
      >
        <X size={13} aria-hidden />
      </button>
    </section>
  );
}

function StepButton({
  step,
  number,
  isDone,
  isNext,
}: {
  readonly step: Step;
  readonly number: number;
  readonly isDone: boolean;
  readonly isNext: boolean;
}) {
  const store = useSessionStore();
  const router = useRouter();
  const go = () => {
    const { id, session, selected, select } = store.getState();
    if (step.control === "freeze" || step.control === "bounce") {
      // Its button is there only while something is selected that can be frozen.
      const all = sortSelection(session, selected.length > 0 ? selected : session.tracks.map((t) => t.id));
      const loads = store.getState().load?.tracks ?? {};
      const track = all.toFreeze.toSorted((a, b) => (loads[b.id] ?? 0) - (loads[a.id] ?? 0))[0] ?? all.tracks[0];
      if (track && (selected.length === 0 || all.toFreeze.length === 0)) select([track.id]);
    }
    router.push(pathOf(id, step.screen));
    if (step.control !== null) pointAt(step.control);
  };
  return (
    <li>
      <button
        type="button"
        onClick={go}
        title={step.about}
        aria-label={`${number}. ${step.label}${isDone ? ", done" : ""}`}
        {...(isNext ? { "aria-current": "step" as const } : {})}
        className={`flex min-h-6 items-center gap-1 rounded-full border px-2 ${isNext ? "border-spot bg-lift font-semibold" : "border-transparent hover:border-rule"} ${isDone ? "text-soft line-through" : ""}`}
      >
        {isDone ? <Check size={12} aria-hidden /> : <span className="figure text-[11px]">{number}</span>}
        {step.label}
      </button>
    </li>
  );
}
