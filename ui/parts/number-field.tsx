"use client";

import { useEffect, useRef, useState } from "react";
import { formatNumber } from "../../core/words/numbers";
import type { Unit } from "./typed-number";
import { STEPS, typedNumber } from "./typed-number";

interface Props {
  readonly label: string;
  readonly value: number;
  readonly min: number;
  readonly max: number;
  readonly digits?: number;
  readonly unit?: Unit;
  /** Where a double click goes back to. */
  readonly neutral?: number;
  /** How long a beat is in seconds, where a length can be typed in beats. */
  readonly beatS?: number;
  readonly onCommit: (value: number) => void;
  readonly className?: string;
}

/**
 * A number typed by hand, with its unit if one likes; out of range is held at the nearest end, anything else leaves it
 * as it was. Arrow keys and the wheel step it, with Shift ten times as far; a double click sets it back.
 */
export function NumberField(props: Props) {
  const { label, value, min, max, digits = 1, unit = "none", neutral, beatS, onCommit, className = "" } = props;
  const [draft, setDraft] = useState<string | null>(null);
  const field = useRef<HTMLInputElement>(null);
  // Enter commits and then leaves the field, which would commit what is on screen a second time.
  const open = useRef(false);
  const put = (to: number) => {
    const held = Math.max(min, Math.min(max, to));
    if (held !== value) onCommit(held);
  };
  const commit = () => {
    if (draft === null || !open.current) return;
    open.current = false;
    const typed = typedNumber(draft, unit, beatS ?? null);
    setDraft(null);
    if (typed !== null) put(typed);
  };
  const step = (by: number, isFar: boolean) => {
    open.current = false;
    setDraft(null);
    // Without the rests of binary fractions.
    put(Number((value + by * STEPS[unit] * (isFar ? 10 : 1)).toFixed(6)));
  };
  const stepNow = useRef(step);
  useEffect(() => {
    stepNow.current = step;
  });
  useEffect(() => {
    const element = field.current;
    // React's own listener cannot keep the page from scrolling.
    const turn = (event: WheelEvent) => {
      if (document.activeElement !== element || event.ctrlKey) return;
      event.preventDefault();
      event.stopPropagation();
      stepNow.current(event.deltaY < 0 ? 1 : -1, event.shiftKey);
    };
    element?.addEventListener("wheel", turn, { passive: false });
    return () => element?.removeEventListener("wheel", turn);
  }, []);
  return (
    <input
      ref={field}
      inputMode="decimal"
      aria-label={label}
      value={draft ?? formatNumber(value, digits)}
      onFocus={(e) => e.target.select()}
      onChange={(e) => {
        open.current = true;
        setDraft(e.target.value);
      }}
      onBlur={commit}
      onDoubleClick={() => {
        if (neutral === undefined) return;
        open.current = false;
        setDraft(null);
        put(neutral);
      }}
      onKeyDown={(e) => {
        e.stopPropagation();
        if (e.key === "Enter") {
          commit();
          e.currentTarget.blur();
        }
        if (e.key === "Escape") {
          open.current = false;
          setDraft(null);
          e.currentTarget.blur();
        }
        if (e.key === "ArrowUp" || e.key === "ArrowDown") {
          e.preventDefault();
          step(e.key === "ArrowUp" ? 1 : -1, e.shiftKey);
        }
      }}
      className={`figure rounded-sm border border-rule bg-lift px-1.5 py-0.5 text-right text-xs hover:border-ink ${className}`}
    />
  );
}
