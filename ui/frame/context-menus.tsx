"use client";

import { ChevronRight } from "lucide-react";
import { ContextMenu } from "radix-ui";
import type { ReactNode } from "react";
import { useEffect, useRef, useState } from "react";
import { clipsOf } from "../../core/session/move-clips";
import type { Action, ActionContext } from "../actions/action";
import { keyText } from "../actions/action";
import type { MenuKind } from "../actions/menu-store";
import { useMenu } from "../actions/menu-store";
import { useActionContext } from "../actions/use-action-context";
import type { MenuEntry } from "./menus";
import { MENUS, isSubmenu } from "./menus";
import { ACTIONS } from "./registry";

/** What has a menu of the browser's own: text that is written. */
const WRITTEN = "input:not([type=checkbox]):not([type=radio]):not([type=range]), textarea, [contenteditable]";
const PANEL =
  "z-50 min-w-56 rounded-sm border border-ink bg-lift p-1 text-[13px] text-ink shadow-[4px_4px_0_var(--rule)]";
const ROW =
  "flex min-h-7 cursor-pointer items-center justify-between gap-6 rounded-sm px-2 py-1 outline-none data-[disabled]:cursor-default data-[disabled]:text-faint data-[highlighted]:bg-spot-wash";

const byId: ReadonlyMap<string, Action> = new Map(ACTIONS.map((a) => [a.id, a]));

/** What the menu is about where nothing under the pointer says so: what is selected. */
function kindOfSelection({ session }: ActionContext): MenuKind {
  const { session: document, selectedClips, selectedRange, selected } = session.getState();
  if (selectedRange) return "range";
  // A clip that was undone stays selected, for when it is redone.
  return clipsOf(document, selectedClips).length > 0 ? "clip" : selected.length > 0 ? "track" : "session";
}

/** Opens a menu of actions at a right click, a long press, Shift+F10 or the menu key, for what is there. */
export function ContextMenus({ children }: { readonly children: ReactNode }) {
  const context = useActionContext();
  const area = useRef<HTMLDivElement>(null);
  const [kind, setKind] = useState<MenuKind>("session");
  /** Where a finger lies: a long press opens the menu without the event that tells what it is on. */
  const finger = useRef<{ readonly on: Element; readonly clientX: number; readonly clientY: number } | null>(null);
  const tellFinger = (isOpen: boolean) => {
    const { on, ...at } = finger.current ?? {};
    finger.current = null;
    if (isOpen) on?.dispatchEvent(new MouseEvent("contextmenu", { bubbles: true, cancelable: true, ...at }));
  };
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      const isAsked = event.key === "ContextMenu" || (event.key === "F10" && event.shiftKey);
      const target = event.target as HTMLElement;
      if (!isAsked || event.defaultPrevented || target.closest(`${WRITTEN}, [role=dialog], [role=menu]`)) return;
      event.preventDefault();
      const anchor = document.querySelector("[data-selected-row]") ?? area.current;
      const box = anchor?.getBoundingClientRect();
      if (!box) return;
      const at = { clientX: box.left + Math.min(120, box.width / 2), clientY: box.top + Math.min(20, box.height / 2) };
      area.current?.dispatchEvent(new MouseEvent("contextmenu", { bubbles: true, cancelable: true, ...at }));
    };
    addEventListener("keydown", press);
    return () => removeEventListener("keydown", press);
  }, []);
  return (
    <ContextMenu.Root modal={false} onOpenChange={tellFinger}>
      <ContextMenu.Trigger
        asChild
        onContextMenuCapture={(event) => {
          useMenu.setState({ kind: null });
          finger.current = null;
          if ((event.target as HTMLElement).closest(WRITTEN)) event.stopPropagation();
        }}
        onContextMenu={() => setKind(useMenu.getState().kind ?? kindOfSelection(context))}
        onPointerDown={(event) => {
          const { pointerType, clientX, clientY } = event;
          const on = event.target as Element;
          finger.current = pointerType === "touch" ? { on, clientX, clientY } : null;
          // What has a menu of its own opens it by itself.
          if (pointerType === "touch" && on.closest("[data-item-menu]")) event.preventDefault();
          setKind(kindOfSelection(context));
        }}
      >
        <div ref={area} className="min-h-0">
          {children}
        </div>
      </ContextMenu.Trigger>
      <ContextMenu.Portal>
        <ContextMenu.Content aria-label={`Actions of the ${kind}`} collisionPadding={12} className={PANEL}>
          {MENUS[kind].map((entry) => (
            <Entry key={isSubmenu(entry) ? entry.label : entry} entry={entry} context={context} />
          ))}
        </ContextMenu.Content>
      </ContextMenu.Portal>
    </ContextMenu.Root>
  );
}

interface EntryProps {
  readonly entry: MenuEntry;
  readonly context: ActionContext;
}

function Entry({ entry, context }: EntryProps) {
  if (isSubmenu(entry))
    return (
      <ContextMenu.Sub>
        <ContextMenu.SubTrigger className={`${ROW} data-[state=open]:bg-spot-wash`}>
          {entry.label} <ChevronRight size={13} aria-hidden />
        </ContextMenu.SubTrigger>
        <ContextMenu.Portal>
          <ContextMenu.SubContent aria-label={entry.label} collisionPadding={12} className={PANEL}>
            {entry.of.map((id) => (
              <Entry key={id} entry={id} context={context} />
            ))}
          </ContextMenu.SubContent>
        </ContextMenu.Portal>
      </ContextMenu.Sub>
    );
  const action = byId.get(entry);
  if (!action) return null;
  const blocked = action.blocked(context);
  return (
    <ContextMenu.Item disabled={blocked !== null} onSelect={() => action.run(context)} className={ROW}>
      <span>
        {action.labelNow(context)}
        {blocked !== null && <span className="block text-[11px]">{blocked}</span>}
      </span>
      {action.key !== null && <kbd className="figure text-xs text-soft">{keyText(action.key)}</kbd>}
    </ContextMenu.Item>
  );
}
