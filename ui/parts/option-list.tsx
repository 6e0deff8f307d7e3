"use client";

import { Check } from "lucide-react";
import { Select } from "radix-ui";

export interface Option<T extends string> {
  readonly value: T;
  readonly label: string;
  /** What it means for the receiver, in one line. */
  readonly about?: string;
}

/** The list that a `Select` opens: what there is, what each means, and which it is now. */
export function OptionList<T extends string>({
  options,
  side = "bottom",
}: {
  readonly options: readonly Option<T>[];
  readonly side?: "top" | "bottom";
}) {
  return (
    <Select.Portal>
      <Select.Content
        position="popper"
        side={side}
        sideOffset={5}
        collisionPadding={12}
        className="z-50 max-h-[60vh] max-w-[400px] min-w-[var(--radix-select-trigger-width)] overflow-hidden rounded-sm border border-ink bg-lift text-ink shadow-[4px_4px_0_var(--rule)]"
      >
        <Select.Viewport className="p-1">
          {options.map((o) => (
            <Select.Item
              key={o.value}
              value={o.value}
              className="relative grid cursor-pointer rounded-sm py-1.5 pr-3 pl-6 text-[13px] outline-none data-[highlighted]:bg-spot-wash"
            >
              <Select.ItemIndicator className="absolute top-2 left-1.5">
                <Check size={13} aria-hidden />
              </Select.ItemIndicator>
              <Select.ItemText>{o.label}</Select.ItemText>
              {o.about && <span className="text-xs text-soft">{o.about}</span>}
            </Select.Item>
          ))}
        </Select.Viewport>
      </Select.Content>
    </Select.Portal>
  );
}
