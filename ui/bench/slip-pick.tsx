"use client";

import { ChevronDown } from "lucide-react";
import { Select } from "radix-ui";
import { toast } from "sonner";
import { useSessionStore } from "../session/provider";
import { printActions } from "./print-actions";

export interface Option<T extends string> {
  readonly value: T;
  readonly label: string;
  /** What it means, in one line. */
  readonly about?: string;
}

/** A part of the sentence that can be chosen otherwise. */
export function Pick<T extends string>({ label, value, options, onChange }: { readonly label: string; readonly value: T; readonly options: readonly Option<T>[]; readonly onChange: (value: T) => void }) {
  const store = useSessionStore();
  return (
    <Select.Root value={value} onValueChange={(v) => onChange(v as T)}>
      <Select.Trigger
        aria-label={label}
        // Enter alone opens the list; with Ctrl it prints, as everywhere, and as a trigger it would open all the same.
        onKeyDown={(e) => {
          if (e.key !== "Enter" || !(e.ctrlKey || e.metaKey)) return;
          e.preventDefault();
          printActions(store, (text) => toast.error(text)).find((a) => a.id === "print")?.run();
        }}
        className="inline-flex items-baseline gap-0.5 font-semibold text-spot underline decoration-2 underline-offset-[5px] hover:bg-spot-wash">
        <Select.Value />
        <ChevronDown size={12} aria-hidden className="self-center" />
      </Select.Trigger>
      <Select.Portal>
        <Select.Content position="popper" side="top" sideOffset={6} collisionPadding={12} className="z-50 max-h-[60vh] max-w-[400px] overflow-hidden rounded-sm border border-ink bg-lift text-ink shadow-[4px_4px_0_var(--rule)]">
          <Select.Viewport className="p-1">
            {options.map((o) => (
              <Select.Item key={o.value} value={o.value} className="relative grid cursor-pointer rounded-sm px-3 py-1.5 text-[13px] outline-none data-[highlighted]:bg-spot-wash data-[state=checked]:font-semibold">
                <Select.ItemText>{o.label}</Select.ItemText>
                {o.about && <span className="text-xs font-normal text-soft">{o.about}</span>}
              </Select.Item>
            ))}
          </Select.Viewport>
        </Select.Content>
      </Select.Portal>
    </Select.Root>
  );
}
