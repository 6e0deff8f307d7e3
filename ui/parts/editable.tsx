"use client";

import { useRef, useState } from "react";

interface Props {
  readonly value: string;
  readonly label: string;
  readonly onCommit: (value: string) => void;
  readonly className?: string;
  readonly placeholder?: string;
  readonly maxLength?: number;
  /** Opens on a double click instead of a single one, where a single one selects. */
  readonly double?: boolean;
  /** What stands there while it is no field, where that is not the value itself. */
  readonly shown?: string;
  /** Is a field from the beginning. */
  readonly open?: boolean;
  /** The field was left without a change. */
  readonly onLeave?: () => void;
}

/** Text that turns into a field where it stands. Enter keeps, Escape leaves it as it was. */
export function Editable({
  value,
  label,
  onCommit,
  className = "",
  placeholder = "unnamed",
  maxLength = 120,
  double = false,
  shown = value,
  open: opened = false,
  onLeave,
}: Props) {
  const [draft, setDraft] = useState<string | null>(opened ? value : null);
  const left = useRef(false);
  if (draft === null) {
    const open = () => {
      left.current = false;
      setDraft(value);
    };
    return (
      <button
        type="button"
        aria-label={`${label}: ${shown || placeholder}. Rename`}
        {...(double ? { onDoubleClick: open } : { onClick: open })}
        onKeyDown={(e) => {
          if (e.key === "F2") open();
        }}
        className={`block min-w-0 truncate text-left ${value ? "" : "text-soft italic"} ${className}`}
      >
        {shown || placeholder}
      </button>
    );
  }
  const close = (keep: boolean) => {
    if (left.current) return;
    left.current = true;
    setDraft(null);
    const text = draft.trim();
    if (keep && text !== value) onCommit(text);
    else onLeave?.();
  };
  return (
    <input
      autoFocus
      aria-label={label}
      value={draft}
      maxLength={maxLength}
      onFocus={(e) => e.target.select()}
      onChange={(e) => setDraft(e.target.value)}
      onBlur={() => close(true)}
      onKeyDown={(e) => {
        e.stopPropagation();
        if (e.key === "Enter") close(true);
        if (e.key === "Escape") close(false);
      }}
      className={`w-full min-w-0 bg-lift outline-2 outline-spot ${className}`}
    />
  );
}
