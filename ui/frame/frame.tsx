"use client";

import { HelpCircle, History, MoonStar, Redo2, Search, Undo2 } from "lucide-react";
import Link from "next/link";
import { usePathname, useRouter } from "next/navigation";
import { useEffect, useLayoutEffect, useMemo, useState, useSyncExternalStore, type ReactNode } from "react";
import { toast } from "sonner";
import { shownView, useBenchView, xOf } from "../timeline/view";
import type { Frames } from "../../core/units";
import { Editable } from "../parts/editable";
import type { Action } from "../session/actions";
import { keyOf, sessionActions } from "../session/actions";
import { api } from "../session/api";
import { useSessionParts, useSessionStore } from "../session/provider";
import { clipActions } from "../clips/clip-actions";
import { useRecipes } from "../slip/recipe-store";
import { livePassActions } from "../slip/live-pass";
import { placeActions } from "../drawer/place-actions";
import { useBenchSettings } from "../timeline/settings";
import { printActions } from "../slip/print-actions";
import { trackActions } from "../tracks/track-actions";
import { RepeatDialog } from "../clips/repeat";
import { SideSheet } from "../side/side-sheet";
import { useSideSheet } from "../side/store";
import { ImportDialog } from "../import/import-dialog";
import { missingAssets } from "../../core/session/supply";
import { choose } from "../intake/gather";
import { useIntake } from "../intake/store";
import { chooseFiles } from "../import/store";
import { playbackActions } from "../playback/actions";
import { usePlaybackStore } from "../playback/provider";
import { JobStrip } from "./job-strip";
import { KeysPage } from "./keys-page";
import { LoadGauge } from "./load-gauge";
import { Relief } from "./relief";
import { Transport } from "./transport";
import { Palette } from "./palette";

/** Whether one comes in with a password here. */
const hasDoor = (): boolean =>
  typeof document !== "undefined" && document.documentElement.dataset["door"] !== undefined;

const SCREENS = [
  { path: "", name: "Bench", key: "1" },
  { path: "/stems", name: "Stems", key: "2" },
  { path: "/proof", name: "Proof", key: "3" },
  { path: "/handoff", name: "Handoff", key: "4" },
  { path: "/shelf", name: "Shelf", key: "5" },
] as const;

const never = () => () => undefined;

export function toggleTheme(): void {
  const next = document.documentElement.dataset["theme"] === "night" ? "day" : "night";
  document.documentElement.dataset["theme"] = next;
  localStorage.setItem("stemzo-theme", next);
  useBenchView.getState().inked();
}

/** Zooms around the playhead where it is seen, else around the middle of what is. */
function zoomBy(factor: number, playhead: Frames): void {
  const bench = useBenchView.getState();
  const x = xOf(shownView(bench), playhead);
  bench.zoom(factor, x >= 0 && x <= bench.width ? x : undefined);
}

/** The strip at the top, the screen below, and what can be reached from everywhere: palette, keys, jobs. */
export function Frame({ children }: { readonly children: ReactNode }) {
  const store = useSessionStore();
  const playback = usePlaybackStore();
  const router = useRouter();
  const pathname = usePathname();
  const [palette, setPalette] = useState(false);
  const [keys, setKeys] = useState(false);
  /** Whether the page answers to hands yet: what the server sent is shown before it does. */
  const awake = useSyncExternalStore(
    never,
    () => true,
    () => false,
  );
  const { id, name, undo, redo, online, edit, pending } = useSessionParts((s) => ({
    id: s.id,
    name: s.session.name,
    undo: s.undo,
    redo: s.redo,
    online: s.online,
    edit: s.edit,
    pending: s.sync.pending.length,
  }));
  const base = `/s/${id}`;

  const actions = useMemo(
    () => (): readonly Action[] => [
      ...SCREENS.map((s): Action => ({
        id: `go-${s.name}`,
        group: "Go to",
        label: s.name,
        key: s.key,
        blocked: null,
        run: () => router.push(`${base}${s.path}`),
      })),
      ...playbackActions(playback, store),
      ...sessionActions(store, (text) => toast.error(text)),
      ...printActions(store, (text) => toast.error(text)),
      ...livePassActions(store, playback, (text) => toast(text)),
      ...trackActions(store, (text) => toast.error(text)),
      ...clipActions(store, playback, (text) => toast.error(text)),
      ...placeActions(store, playback),
      {
        id: "bring-in",
        group: "Session",
        label: "Bring in audio or MIDI files",
        key: "Ctrl+I",
        blocked: null,
        run: chooseFiles,
      },
      {
        id: "take-in",
        group: "Session",
        label: "Take in a session, stems or a ZIP",
        key: "Ctrl+Shift+I",
        blocked: null,
        run: () => {
          const { session } = store.getState();
          const frame = Math.round(playback.getState().position());
          useIntake.getState().begin({ id, name: session.name, frame, rate: session.rate });
          router.push("/intake");
        },
      },
      {
        id: "supply",
        group: "Session",
        label: "Supply missing files",
        key: "",
        blocked: missingAssets(store.getState().session).length > 0 ? null : "Nothing is missing in this session.",
        run: () => choose("files", (files) => void store.getState().supply(files.map((f) => f.file))),
      },
      {
        id: "zoom-in",
        group: "View",
        label: "Zoom in",
        key: "+",
        blocked: null,
        run: () => zoomBy(1.5, playback.getState().position()),
      },
      {
        id: "zoom-out",
        group: "View",
        label: "Zoom out",
        key: "-",
        blocked: null,
        run: () => zoomBy(1 / 1.5, playback.getState().position()),
      },
      {
        id: "fit",
        group: "View",
        label: "Fit the whole session",
        key: "0",
        blocked: null,
        run: () => useBenchView.getState().fit(),
      },
      {
        id: "rows",
        group: "View",
        label: "Rows low, middle or tall",
        key: "H",
        blocked: null,
        run: () => {
          const s = useBenchSettings.getState();
          s.change({ rows: s.rows === "low" ? "middle" : s.rows === "middle" ? "tall" : "low" });
        },
      },
      {
        id: "history",
        group: "Session",
        label: "History and versions",
        key: "Y",
        blocked: null,
        run: () => useSideSheet.getState().open("history"),
      },
      {
        id: "name-version",
        group: "Session",
        label: "Name this point as a version",
        key: "Shift+Y",
        blocked: null,
        run: () => useSideSheet.getState().open("history", true),
      },
      {
        id: "results",
        group: "Session",
        label: "What was printed and exported",
        key: "U",
        blocked: null,
        run: () => useSideSheet.getState().open("results"),
      },
      {
        id: "phrases",
        group: "Session",
        label: "Phrases, and where they are placed",
        key: "Shift+U",
        blocked: null,
        run: () => useSideSheet.getState().open("phrases"),
      },
      {
        id: "loudness",
        group: "Session",
        label: "Loudness meter",
        key: "J",
        blocked: null,
        run: () => useSideSheet.getState().open("loudness"),
      },
      { id: "theme", group: "View", label: "Day or night theme", key: "N", blocked: null, run: toggleTheme },
      {
        id: "running",
        group: "Session",
        label: "How it runs: jobs, disk, what failed last",
        key: null,
        blocked: null,
        run: () => router.push("/running"),
      },
      ...(hasDoor()
        ? [
            {
              id: "sign-out",
              group: "Session",
              label: "Sign out, here and wherever else somebody came in",
              key: null,
              blocked: null,
              run: () =>
                void api.logout().then(
                  () => router.push("/login"),
                  () => toast.error("The server cannot be reached: you are still signed in."),
                ),
            } as const,
          ]
        : []),
      { id: "keys", group: "Help", label: "All keys", key: "?", blocked: null, run: () => setKeys(true) },
      { id: "palette", group: "Help", label: "Find an action", key: "/", blocked: null, run: () => setPalette(true) },
    ],
    [store, playback, router, base, id],
  );

  // Their keys work without anybody having looked at them; where they cannot be read, they have none.
  useEffect(
    () =>
      void useRecipes
        .getState()
        .load()
        .catch(() => undefined),
    [],
  );
  // Before the page is painted: what can be seen can be reached by its key.
  useLayoutEffect(() => {
    const press = (event: KeyboardEvent) => {
      const target = event.target as HTMLElement;
      if (
        event.defaultPrevented ||
        target.closest(
          "input:not([type=checkbox]):not([type=radio]):not([type=range]), textarea, [role=dialog], [role=listbox], [role=menu], [role=option]",
        )
      )
        return;
      const key = keyOf(event);
      // Space and the arrows belong to a tick box or a slider that has the focus.
      if (target.closest("input") && (key === "Space" || key.startsWith("Arrow"))) return;
      const action = actions().find((a) => a.key === key);
      if (!action) return;
      event.preventDefault();
      if (action.blocked === null) action.run();
      else toast(action.blocked);
    };
    addEventListener("keydown", press);
    return () => removeEventListener("keydown", press);
  }, [actions]);

  return (
    <div
      data-awake={awake || undefined}
      className="grid h-screen grid-cols-[minmax(0,1fr)] grid-rows-[44px_minmax(0,1fr)]"
    >
      <header data-strip className="flex items-center gap-1 bg-strip pr-3 pl-4 text-on-strip">
        <Link href="/" className="text-[17px] font-extrabold tracking-tight" title="All sessions">
          Stemzo
        </Link>
        <div className="ml-3 max-w-32 min-w-12 shrink overflow-hidden text-on-strip-soft">
          <Editable
            value={name}
            label="Session"
            onCommit={(text) => text && edit("Rename the session", [{ do: "set session", patch: { name: text } }])}
            className="w-full text-[13px] focus:text-ink"
          />
        </div>
        <nav aria-label="Screens" className="ml-3 flex h-full shrink-0">
          {SCREENS.map((s) => {
            const here = pathname === `${base}${s.path}`;
            return (
              <Link
                key={s.name}
                href={`${base}${s.path}`}
                aria-current={here ? "page" : undefined}
                className={`flex h-full items-center px-2.5 text-[13.5px] ${here ? "mt-1.5 h-[38px] bg-paper font-bold text-ink" : "text-on-strip-soft hover:text-on-strip"}`}
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
        <span
          role="status"
          className={`mr-2 text-xs ${online ? "text-on-strip-soft" : "font-semibold text-[#f4c9a8]"}`}
        >
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
        <StripButton label="Find an action ( / )" onClick={() => setPalette(true)}>
          <Search size={15} aria-hidden />
        </StripButton>
        <StripButton label="Day or night theme (N)" onClick={toggleTheme}>
          <MoonStar size={15} aria-hidden />
        </StripButton>
        <StripButton label="All keys (?)" onClick={() => setKeys(true)}>
          <HelpCircle size={15} aria-hidden />
        </StripButton>
      </header>
      <div className="min-h-0">{children}</div>
      <Palette open={palette} onOpenChange={setPalette} actions={actions} />
      <SideSheet />
      <RepeatDialog />
      <ImportDialog />
      <KeysPage open={keys} onOpenChange={setKeys} actions={actions} />
    </div>
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
