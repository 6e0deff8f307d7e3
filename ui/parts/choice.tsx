"use client";

import { ChevronDown } from "lucide-react";
import { Select } from "radix-ui";
import type { Option } from "./option-list";
import { OptionList } from "./option-list";

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
      <OptionList options={options} />
    </Select.Root>
  );
}
