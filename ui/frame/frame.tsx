"use client";

import { HelpCircle, History, MoonStar, Redo2, Search, Undo2 } from "lucide-react";
import Link from "next/link";
import { usePathname } from "next/navigation";
import { useEffect, type ReactNode } from "react";
import { useActionContext } from "../actions/use-action-context";
import { Editable } from "../parts/editable";
import { fetchLaterParts, later } from "../parts/later";
import { useAwake } from "../parts/use-awake";
import { useLater } from "../parts/use-later";
import { useSessionParts, useSessionStore } from "../session/provider";
import { useSideSheet } from "../side/store";
import { useRecipes } from "../slip/recipe-store";
import { ContextMenus } from "./context-menus";
import { useDialogs } from "./dialogs";
import { FirstSteps } from "./first-steps";
import { JobStrip } from "./job-strip";
import { LoadGauge } from "./load-gauge";
import { Relief } from "./relief";
import { SCREENS, pathOf } from "../session/screens";
import { toggleTheme } from "./theme";
import { Transport } from "./transport";
import { useKeys } from "./use-keys";

const Overlays = later(async () => (await import("./overlays")).Overlays);

/** The strip at the top, the screen below, and what can be reached from everywhere: palette, keys, jobs. */
export function Frame({ children }: { readonly children: ReactNode }) {
  useKeys(useActionContext());
  const awake = useAwake<HTMLDivElement>();
  const isLater = useLater();
  useEffect(() => {
    if (isLater) fetchLaterParts();
  }, [isLater]);
  // What lies over one session does not lie over the next.
  useEffect(() => () => useDialogs.getState().show(null), []);
  // Recipes have keys; where they cannot be read, they have none.
  useEffect(
    () =>
      void useRecipes
        .getState()
        .load()
        .catch(() => undefined),
    [],
  );
  return (
    <div ref={awake} className="grid h-screen grid-cols-[minmax(0,1fr)] grid-rows-[44px_auto_minmax(0,1fr)]">
      <Strip />
      <FirstSteps />
      <ContextMenus>{children}</ContextMenus>
      {isLater && <Overlays />}
    </div>
  );
}

/** Name, screens, transport and what the session is doing. */
function Strip() {
  const store = useSessionStore();
  const pathname = usePathname();
  const show = useDialogs((s) => s.show);
  const { id, name, undo, redo, online, edit, pending } = useSessionParts((s) => ({
    id: s.id,
    name: s.session.name,
    undo: s.undo,
    redo: s.redo,
    online: s.online,
    edit: s.edit,
    pending: s.sync.pending.length,
  }));
  return (
    <header data-strip className="flex items-center gap-1 bg-strip pr-3 pl-4 text-on-strip">
      <Link href="/" className="text-[17px] font-extrabold tracking-tight" title="All sessions">
        Stemzo
      </Link>
      <div className="ml-3 max-w-32 min-w-12 shrink overflow-hidden min-[1200px]:min-w-26 text-on-strip-soft">
        <Editable
          value={name}
          label="Session"
          onCommit={(text) => text && edit("Rename the session", [{ do: "set session", patch: { name: text } }])}
          className="w-full text-[13px] focus:text-ink"
        />
      </div>
      <nav aria-label="Screens" className="ml-3 flex h-full shrink-0">
        {SCREENS.map((s) => {
          const here = pathname === pathOf(id, s.path);
          return (
            <Link
              key={s.name}
              href={pathOf(id, s.path)}
              aria-current={here ? "page" : undefined}
              className={`flex h-full items-center px-2 text-[13.5px] min-[1400px]:px-2.5 ${here ? "mt-1.5 h-[38px] bg-paper font-bold text-ink" : "text-on-strip-soft hover:text-on-strip"}`}
            >
              {s.name}
            </Link>
          );
        })}
      </nav>
      <Transport />
      <span className="flex-1" />
      <JobStrip />
      <Relief />
      <span role="status" className={`mr-2 text-xs ${online ? "text-on-strip-soft" : "font-semibold text-[#f4c9a8]"}`}>
        {!online ? "not connected: changes are kept here" : pending > 0 ? "saving" : ""}
      </span>
      <LoadGauge />
      <StripButton
        label={undo === null ? "Nothing to undo" : `Undo: ${undo} (Ctrl+Z)`}
        disabled={undo === null}
        onClick={() => void store.getState().travel("undo")}
      >
        <Undo2 size={16} aria-hidden />
      </StripButton>
      <StripButton
        label={redo === null ? "Nothing to redo" : `Redo: ${redo} (Ctrl+Shift+Z)`}
        disabled={redo === null}
        onClick={() => void store.getState().travel("redo")}
      >
        <Redo2 size={16} aria-hidden />
      </StripButton>
      <StripButton label="History and versions (Y)" onClick={() => useSideSheet.getState().open("history")}>
        <History size={15} aria-hidden />
      </StripButton>
      <StripButton label="Find an action ( / )" onClick={() => show("palette")}>
        <Search size={15} aria-hidden />
      </StripButton>
      <StripButton label="Day or night theme (N)" onClick={toggleTheme}>
        <MoonStar size={15} aria-hidden />
      </StripButton>
      <StripButton label="All keys (?)" onClick={() => show("keys")}>
        <HelpCircle size={15} aria-hidden />
      </StripButton>
    </header>
  );
}

function StripButton({
  label,
  disabled = false,
  onClick,
  children,
}: {
  readonly label: string;
  readonly disabled?: boolean;
  readonly onClick: () => void;
  readonly children: ReactNode;
}) {
  return (
    <button
      type="button"
      aria-label={label}
      title={label}
      disabled={disabled}
      onClick={onClick}
      className="grid size-7 place-items-center rounded-sm text-on-strip hover:bg-on-strip/15 disabled:text-on-strip-soft/50 disabled:hover:bg-transparent"
    >
      {children}
    </button>
  );
}
