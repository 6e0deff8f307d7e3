"use client";

import { DropdownMenu, Portal, Slot } from "radix-ui";
import { useRef, useState, type KeyboardEvent, type PointerEvent, type ReactElement, type ReactNode } from "react";
import { focusFirst } from "./item-menu";

interface Props {
  /** An element that takes handlers and attributes of a button. */
  readonly trigger: ReactElement;
  readonly label: string;
  readonly children: ReactNode;
  readonly open?: boolean;
  readonly onOpenChange?: (open: boolean) => void;
}

/**
 * A list of things to choose or do, beside what it belongs to. Until it opens there is only that: a screen has
 * hundreds of them.
 */
export function Menu({ trigger, label, children, open, onOpenChange }: Props) {
  const [own, setOwn] = useState(false);
  const anchor = useRef<HTMLElement>(null);
  const [isByKey, setByKey] = useState(false);
  const isOpen = open ?? own;
  const change = (to: boolean) => {
    setOwn(to);
    onOpenChange?.(to);
  };
  return (
    <>
      <Slot.Root
        ref={anchor}
        aria-haspopup="menu"
        aria-expanded={isOpen}
        onPointerDown={(event: PointerEvent<HTMLButtonElement>) => {
          if (event.defaultPrevented || event.button !== 0 || event.ctrlKey || event.currentTarget.disabled) return;
          // The button does not take the focus back from the menu.
          if (!isOpen) event.preventDefault();
          setByKey(false);
          change(!isOpen);
        }}
        onKeyDown={(event: KeyboardEvent<HTMLButtonElement>) => {
          if (event.defaultPrevented || !["Enter", " ", "ArrowDown"].includes(event.key)) return;
          event.preventDefault();
          setByKey(true);
          change(event.key === "ArrowDown" || !isOpen);
        }}
      >
        {trigger}
      </Slot.Root>
      {isOpen && (
        <List label={label} anchor={anchor} isByKey={isByKey} onOpenChange={change}>
          {children}
        </List>
      )}
    </>
  );
}

interface ListProps {
  readonly label: string;
  readonly anchor: { readonly current: HTMLElement | null };
  /** Opened by a key, which goes on with its first entry. */
  readonly isByKey: boolean;
  readonly onOpenChange: (open: boolean) => void;
  readonly children: ReactNode;
}

function List({ label, anchor, isByKey, onOpenChange, children }: ListProps) {
  const pressedElsewhere = useRef(false);
  const box = anchor.current?.getBoundingClientRect();
  return (
    <DropdownMenu.Root open modal={false} onOpenChange={onOpenChange}>
      {/* In a sheet that is moved by a transform, "fixed" would count from that sheet. */}
      <Portal.Root asChild>
        <DropdownMenu.Trigger asChild>
          <span
            aria-hidden
            className="pointer-events-none fixed"
            style={{ left: box?.left, top: box?.top, width: box?.width, height: box?.height }}
          />
        </DropdownMenu.Trigger>
      </Portal.Root>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          aria-label={label}
          align="start"
          sideOffset={4}
          collisionPadding={12}
          className="z-50 max-h-[min(60vh,var(--radix-dropdown-menu-content-available-height))] min-w-52 overflow-auto rounded-sm border border-ink bg-lift p-1 text-[13px] text-ink shadow-[4px_4px_0_var(--rule)]"
          ref={isByKey ? focusFirst : null}
          onInteractOutside={() => {
            pressedElsewhere.current = true;
          }}
          onCloseAutoFocus={(event) => {
            event.preventDefault();
            if (!pressedElsewhere.current) anchor.current?.focus();
          }}
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
