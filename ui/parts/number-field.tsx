"use client";

import { useRef, useState } from "react";
import { formatNumber } from "../../core/words/numbers";

interface Props {
  readonly label: string;
  readonly value: number;
  readonly min: number;
  readonly max: number;
  readonly digits?: number;
  readonly onCommit: (value: number) => void;
  readonly className?: string;
}

/** A number typed by hand; out of range is held at the nearest end, anything else leaves it as it was. */
export function NumberField({ label, value, min, max, digits = 1, onCommit, className = "" }: Props) {
  const [draft, setDraft] = useState<string | null>(null);
  // Enter commits and then leaves the field, which would commit what is on screen a second time.
  const open = useRef(false);
  const commit = () => {
    if (draft === null || !open.current) return;
    open.current = false;
    const typed = Number(draft.replace(",", ".").replace("−", "-"));
    setDraft(null);
    const held = Math.max(min, Math.min(max, typed));
    if (draft.trim() !== "" && Number.isFinite(typed) && held !== value) onCommit(held);
  };
  return (
    <input
      inputMode="decimal"
      aria-label={label}
      value={draft ?? formatNumber(value, digits)}
      onFocus={(e) => e.target.select()}
      onChange={(e) => {
        open.current = true;
        setDraft(e.target.value);
      }}
      onBlur={commit}
      onKeyDown={(e) => {
        e.stopPropagation();
        if (e.key === "Enter") {
          commit();
          e.currentTarget.blur();
        }
        if (e.key === "Escape") setDraft(null);
      }}
      className={`figure rounded-sm border border-rule bg-lift px-1.5 py-0.5 text-right text-xs hover:border-ink ${className}`}
    />
  );
}
