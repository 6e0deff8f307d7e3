"use client";

import { Popover, Slot } from "radix-ui";
import { useId, useRef, useState, type MouseEvent, type ReactElement, type ReactNode } from "react";

interface Props {
  /** An element that takes handlers and attributes of a button. */
  readonly trigger: ReactElement;
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

/**
 * A sheet of paper that opens beside the thing it belongs to. Until then there is only that thing: a screen has
 * hundreds of them.
 */
export function Floating({ trigger, label, children, side = "top", align = "start", width = 280, ...of }: Props) {
  const [own, setOwn] = useState(false);
  const id = useId();
  const anchor = useRef<HTMLElement>(null);
  const pressedElsewhere = useRef(false);
  const isOpen = of.open ?? own;
  const change = (to: boolean) => {
    if (to) pressedElsewhere.current = false;
    setOwn(to);
    of.onOpen?.(to);
  };
  return (
    <>
      <Slot.Root
        ref={anchor}
        aria-haspopup="dialog"
        aria-expanded={isOpen}
        {...(isOpen ? { "aria-controls": id } : {})}
        onClick={(event: MouseEvent) => {
          if (!event.defaultPrevented) change(!isOpen);
        }}
      >
        {trigger}
      </Slot.Root>
      {isOpen && (
        <Popover.Root open onOpenChange={change}>
          <Popover.Anchor virtualRef={anchor} />
          <Popover.Portal>
            <Popover.Content
              id={id}
              side={side}
              align={align}
              sideOffset={6}
              collisionPadding={12}
              aria-label={label}
              style={{ width }}
              className="z-50 max-h-[70vh] overflow-auto rounded-sm border border-ink bg-lift p-3 text-ink shadow-[4px_4px_0_var(--rule)]"
              onInteractOutside={(event) => {
                // A press of the trigger closes it by itself.
                if (anchor.current?.contains(event.target as Node)) event.preventDefault();
                else pressedElsewhere.current = true;
              }}
              onCloseAutoFocus={(event) => {
                event.preventDefault();
                if (!pressedElsewhere.current) anchor.current?.focus();
              }}
            >
              {children}
            </Popover.Content>
          </Popover.Portal>
        </Popover.Root>
      )}
    </>
  );
}
