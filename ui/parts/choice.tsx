"use client";

import { Check, ChevronDown } from "lucide-react";
import { Select } from "radix-ui";

interface Option<T extends string> {
  readonly value: T;
  readonly label: string;
  /** What it means for whoever gets the result, in one line. */
  readonly about?: string;
}

interface Props<T extends string> {
  readonly label: string;
  readonly value: T;
  readonly options: readonly Option<T>[];
  readonly onChange: (value: T) => void;
  readonly className?: string;
}

/** One of a few options, each explained where it is chosen. */
export function Choice<T extends string>({ label, value, options, onChange, className = "" }: Props<T>) {
  return (
    <Select.Root value={value} onValueChange={(v) => onChange(v as T)}>
      <Select.Trigger
        aria-label={label}
        className={`inline-flex min-h-7 items-center justify-between gap-1 rounded-sm border border-rule bg-lift px-2 text-left text-[13px] hover:border-ink ${className}`}
      >
        <Select.Value />
        <ChevronDown size={13} aria-hidden className="text-soft" />
      </Select.Trigger>
      <Select.Portal>
        <Select.Content position="popper" sideOffset={4} className="z-50 max-h-[60vh] min-w-[var(--radix-select-trigger-width)] max-w-[340px] overflow-hidden rounded-sm border border-ink bg-lift text-ink shadow-[4px_4px_0_var(--rule)]">
          <Select.Viewport className="p-1">
            {options.map((o) => (
              <Select.Item key={o.value} value={o.value} className="relative grid cursor-pointer rounded-sm py-1.5 pr-3 pl-6 text-[13px] outline-none data-[highlighted]:bg-spot-wash">
                <Select.ItemIndicator className="absolute top-2 left-1.5"><Check size={13} aria-hidden /></Select.ItemIndicator>
                <Select.ItemText>{o.label}</Select.ItemText>
                {o.about && <span className="text-xs text-soft">{o.about}</span>}
              </Select.Item>
            ))}
          </Select.Viewport>
        </Select.Content>
      </Select.Portal>
    </Select.Root>
  );
}
