"use client";

import { ChevronRight } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import type { KeyboardEvent, MouseEvent, PointerEvent } from "react";
import { useRef } from "react";
import { create } from "zustand";

/** One thing to do with what a menu is of; or a list of such things. */
export interface ItemEntry {
  readonly label: string;
  readonly run?: () => void;
  readonly of?: readonly ItemEntry[];
  readonly key?: string;
  /** Why it cannot be done now. */
  readonly blocked?: string | null | undefined;
}

interface OpenMenu {
  readonly label: string;
  readonly entries: readonly ItemEntry[];
  readonly x: number;
  readonly y: number;
  /** Opened by a key, which goes on with its first entry. */
  readonly byKey: boolean;
}

const useOpenMenu = create<{ readonly menu: OpenMenu | null }>()(() => ({ menu: null }));

const LONG_PRESS_MS = 550;
const STILL_PX = 8;
/** A long press opened a menu: lifting the finger is no press of what lies below. */
let hasOpened = false;
let press: { readonly timer: ReturnType<typeof setTimeout>; readonly x: number; readonly y: number } | null = null;

function endPress(): void {
  if (press) clearTimeout(press.timer);
  press = null;
}

/** Opens a menu below the button that is pressed, by pointer or key, with the same entries as its context menu. */
export function openItemMenu(label: string, entries: readonly ItemEntry[], press: MouseEvent<Element>): void {
  const { left, bottom } = press.currentTarget.getBoundingClientRect();
  useOpenMenu.setState({ menu: { label, entries, x: left, y: bottom, byKey: press.detail === 0 } });
}

/**
 * Handlers for an element that has a context menu: right click, long press, menu key, Shift+F10. `entriesOf` is asked
 * with the element when it opens. It takes the place of the menu of what lies around it.
 */
export function itemMenu(label: string, entriesOf: (on: Element) => readonly ItemEntry[]) {
  const open = (on: Element, x: number, y: number, byKey = false) => {
    const entries = entriesOf(on);
    if (entries.length > 0) useOpenMenu.setState({ menu: { label, entries, x, y, byKey } });
  };
  return {
    "data-item-menu": "",
    onContextMenu(event: MouseEvent<Element>) {
      event.preventDefault();
      event.stopPropagation();
      endPress();
      open(event.currentTarget, event.clientX, event.clientY);
    },
    onKeyDownCapture(event: KeyboardEvent<Element>) {
      if (event.key !== "ContextMenu" && !(event.key === "F10" && event.shiftKey)) return;
      event.preventDefault();
      event.stopPropagation();
      const box = (event.target as Element).getBoundingClientRect();
      open(event.currentTarget, box.left + Math.min(24, box.width / 2), box.bottom, true);
    },
    onPointerDownCapture(event: PointerEvent<Element>) {
      endPress();
      hasOpened = false;
      if (event.pointerType !== "touch") return;
      const { clientX: x, clientY: y, currentTarget: on } = event;
      const timer = setTimeout(() => {
        hasOpened = true;
        open(on, x, y);
      }, LONG_PRESS_MS);
      press = { timer, x, y };
    },
    onClickCapture(event: MouseEvent<Element>) {
      if (!hasOpened) return;
      hasOpened = false;
      event.preventDefault();
      event.stopPropagation();
    },
    onPointerMoveCapture(event: PointerEvent<Element>) {
      if (press && Math.hypot(event.clientX - press.x, event.clientY - press.y) > STILL_PX) endPress();
    },
    onPointerUpCapture: endPress,
    onPointerCancelCapture: endPress,
  };
}

const PANEL =
  "z-50 max-h-[min(70vh,var(--radix-dropdown-menu-content-available-height))] min-w-52 overflow-auto rounded-sm border border-ink bg-lift p-1 text-[13px] text-ink shadow-[4px_4px_0_var(--rule)]";
const ROW =
  "flex min-h-7 cursor-pointer items-center justify-between gap-6 rounded-sm px-2 py-1 outline-none data-[disabled]:cursor-default data-[disabled]:text-faint data-[highlighted]:bg-spot-wash";

/** After the menu itself has taken the focus. */
export function focusFirst(content: HTMLElement | null): void {
  requestAnimationFrame(() => content?.querySelector<HTMLElement>("[role=menuitem]:not([data-disabled])")?.focus());
}

/** The one place of a page where context menus of items are drawn. */
export function ItemMenus() {
  const { menu } = useOpenMenu();
  const before = useRef<Element | null>(null);
  if (!menu) return null;
  before.current ??= document.activeElement;
  return (
    <DropdownMenu.Root
      open
      modal={false}
      onOpenChange={(isOpen) => {
        if (!isOpen) useOpenMenu.setState({ menu: null });
      }}
    >
      <DropdownMenu.Trigger asChild>
        <span aria-hidden className="pointer-events-none fixed size-0" style={{ left: menu.x, top: menu.y }} />
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          key={`${menu.x}/${menu.y}/${menu.label}`}
          aria-label={menu.label}
          align="start"
          collisionPadding={12}
          className={PANEL}
          ref={menu.byKey ? focusFirst : null}
          onCloseAutoFocus={(event) => {
            event.preventDefault();
            // Where it was before, unless the entry moved it.
            if (document.activeElement === document.body && before.current instanceof HTMLElement)
              before.current.focus();
            before.current = null;
          }}
        >
          {menu.entries.map((entry) => (
            <Entry key={entry.label} entry={entry} />
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

function Entry({ entry }: { readonly entry: ItemEntry }) {
  const { label, run, of, key, blocked = null } = entry;
  if (of)
    return (
      <DropdownMenu.Sub>
        <DropdownMenu.SubTrigger
          disabled={blocked !== null || of.length === 0}
          className={`${ROW} data-[state=open]:bg-spot-wash`}
        >
          <span>
            {label}
            {blocked !== null && <span className="block text-[11px]">{blocked}</span>}
          </span>
          <ChevronRight size={13} aria-hidden />
        </DropdownMenu.SubTrigger>
        <DropdownMenu.Portal>
          <DropdownMenu.SubContent aria-label={label} collisionPadding={12} className={PANEL}>
            {of.map((e) => (
              <Entry key={e.label} entry={e} />
            ))}
          </DropdownMenu.SubContent>
        </DropdownMenu.Portal>
      </DropdownMenu.Sub>
    );
  return (
    <DropdownMenu.Item disabled={blocked !== null} onSelect={() => run?.()} className={ROW}>
      <span>
        {label}
        {blocked !== null && <span className="block text-[11px]">{blocked}</span>}
      </span>
      {key !== undefined && <kbd className="figure text-xs text-soft">{key}</kbd>}
    </DropdownMenu.Item>
  );
}
