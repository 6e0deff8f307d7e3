"use client";

import { ChevronDown } from "lucide-react";
import { Select } from "radix-ui";
import { useActionContext } from "../actions/use-action-context";
import type { Option } from "../parts/option-list";
import { OptionList } from "../parts/option-list";
import { printActions } from "./print-actions";

/** A part of the sentence that can be chosen otherwise. */
export function Pick<T extends string>({
  label,
  value,
  options,
  onChange,
}: {
  readonly label: string;
  readonly value: T;
  readonly options: readonly Option<T>[];
  readonly onChange: (value: T) => void;
}) {
  const context = useActionContext();
  return (
    <Select.Root value={value} onValueChange={(v) => onChange(v as T)}>
      <Select.Trigger
        aria-label={label}
        // Enter alone opens the list; with Ctrl it prints, as everywhere, and as a trigger it would open all the same.
        onKeyDown={(e) => {
          if (e.key !== "Enter" || !(e.ctrlKey || e.metaKey)) return;
          e.preventDefault();
          printActions.find((a) => a.id === (e.shiftKey ? "print-mix" : "print"))?.run(context);
        }}
        className="inline-flex items-baseline gap-0.5 font-semibold text-spot underline decoration-2 underline-offset-[5px] hover:bg-spot-wash"
      >
        <Select.Value />
        <ChevronDown size={12} aria-hidden className="self-center" />
      </Select.Trigger>
      <OptionList options={options} side="top" />
    </Select.Root>
  );
}
