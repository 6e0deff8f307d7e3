"use client";

import { Popover } from "radix-ui";
import type { ReactNode } from "react";

interface Props {
  readonly trigger: ReactNode;
  readonly label: string;
  readonly children: ReactNode;
  readonly side?: "top" | "bottom" | "left" | "right";
  /** Which of its edges stands at the same edge of what it belongs to. */
  readonly align?: "start" | "end";
  readonly width?: number;
  /** Where something else opens it as well. */
  readonly open?: boolean;
  readonly onOpen?: (open: boolean) => void;
}

/** A sheet of paper that opens beside the thing it belongs to. */
export function Floating({
  trigger,
  label,
  children,
  side = "top",
  align = "start",
  width = 280,
  open,
  onOpen,
}: Props) {
  return (
    <Popover.Root {...(open === undefined ? {} : { open })} {...(onOpen ? { onOpenChange: onOpen } : {})}>
      <Popover.Trigger asChild>{trigger}</Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          side={side}
          align={align}
          sideOffset={6}
          collisionPadding={12}
          aria-label={label}
          style={{ width }}
          className="z-50 max-h-[70vh] overflow-auto rounded-sm border border-ink bg-lift p-3 text-ink shadow-[4px_4px_0_var(--rule)]"
        >
          {children}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
