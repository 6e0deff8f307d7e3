"use client";

import { DropdownMenu } from "radix-ui";
import type { ReactNode } from "react";

interface Props {
  /** A `DropdownMenu.Trigger`. */
  readonly trigger: ReactNode;
  readonly label: string;
  readonly children: ReactNode;
  readonly open?: boolean;
  readonly onOpenChange?: (open: boolean) => void;
}

/** A list of things to choose or do, beside what it belongs to. */
export function Menu({ trigger, label, children, open, onOpenChange }: Props) {
  return (
    <DropdownMenu.Root
      modal={false}
      {...(open === undefined ? {} : { open })}
      {...(onOpenChange ? { onOpenChange } : {})}
    >
      {trigger}
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          aria-label={label}
          align="start"
          sideOffset={4}
          collisionPadding={12}
          className="z-50 max-h-[min(60vh,var(--radix-dropdown-menu-content-available-height))] min-w-52 overflow-auto rounded-sm border border-ink bg-lift p-1 text-[13px] text-ink shadow-[4px_4px_0_var(--rule)]"
        >
          {children}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

export const MenuItem = ({
  onSelect,
  disabled = false,
  children,
}: {
  readonly onSelect: () => void;
  readonly disabled?: boolean;
  readonly children: ReactNode;
}) => (
  <DropdownMenu.Item
    disabled={disabled}
    onSelect={onSelect}
    className="flex min-h-7 cursor-pointer items-center justify-between gap-6 rounded-sm px-2 py-1 outline-none data-[disabled]:text-faint data-[highlighted]:bg-spot-wash"
  >
    {children}
  </DropdownMenu.Item>
);

export const MenuHeading = ({ children }: { readonly children: ReactNode }) => (
  <DropdownMenu.Label className="eyebrow px-2 pt-2 pb-0.5">{children}</DropdownMenu.Label>
);
