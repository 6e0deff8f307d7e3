import type { MenuKind } from "../actions/menu-store";

/** A list of actions under one name. */
export interface Submenu {
  readonly label: string;
  readonly of: readonly string[];
}
export type MenuEntry = string | Submenu;

export const isSubmenu = (entry: MenuEntry): entry is Submenu => typeof entry !== "string";

/** Entries of a menu at most; a submenu counts as one. */
export const MOST_ENTRIES = 9;

/** The context menus, by ids of actions, the most used first. */
export const MENUS: { readonly [K in MenuKind]: readonly MenuEntry[] } = {
  track: [
    "freeze",
    "unfreeze",
    "commit",
    "bounce",
    "slip",
    "mute",
    "solo",
    { label: "Show", of: ["automation", "row", "kit", "notes-new", "hide"] },
    {
      label: "More",
      of: [
        "track-rename",
        "track-instrument",
        "track-duplicate",
        "consolidate-zero",
        "print-again",
        "track-group",
        "solo-none",
        "park",
        "unpark",
        "track-up",
        "track-down",
        "track-remove",
      ],
    },
  ],
  clip: [
    "clip-cut-here",
    "clip-mute",
    "clip-duplicate",
    "consolidate",
    "bounce",
    "clip-crossfade",
    {
      label: "Edit",
      of: ["clip-copy", "clip-take", "clip-paste", "clip-repeat", "clip-aside", "clip-all", "clip-remove"],
    },
    {
      label: "Shape",
      of: [
        "clip-reverse",
        "clip-slice",
        "notes-quantise",
        "clip-nest",
        "clip-unnest",
        "clip-later",
        "clip-earlier",
        "clip-start-later",
        "clip-start-earlier",
        "clip-end-later",
        "clip-end-earlier",
      ],
    },
    { label: "Show", of: ["notes", "look", "mark-clip"] },
  ],
  range: [
    "range-mark",
    "range-cut",
    "range-clear",
    "consolidate",
    "bounce",
    "slip",
    "range-save",
    "look",
    "range-none",
  ],
  ruler: [
    "loop",
    "unmark",
    "marker-add",
    "range-save",
    { label: "Go to", of: ["to-start", "marker-next", "marker-before", "range-next", "range-before"] },
    { label: "Move everything", of: ["session-later", "session-earlier"] },
    "fit",
    "zoom-in",
    "zoom-out",
  ],
  session: [
    "print-mix",
    { label: "Go to", of: ["go-Bench", "go-Stems", "go-Proof", "go-Handoff", "go-Shelf", "go-Instruments", "running"] },
    "select-all",
    "clip-paste",
    { label: "Add", of: ["add-audio", "add-instrument", "add-group", "add-return"] },
    { label: "Import", of: ["bring-in", "take-in", "supply"] },
    { label: "View", of: ["rows", "hidden", "shelf", "loudness", "theme"] },
    { label: "Session", of: ["history", "name-version", "results", "phrases", "tempo", "live-pass"] },
    { label: "Help", of: ["palette", "keys"] },
  ],
};

/** Actions that need no menu: their buttons are always seen, or they walk through lists that a press picks from. */
export const WITHOUT_MENU: ReadonlySet<string> = new Set([
  ...["play", "undo", "redo", "print", "export", "refill"],
  ...["bar-on", "bar-back", "up", "down", "extend-up", "extend-down", "select-none", "clip-next", "clip-before"],
]);

const MENU_NAMES: Readonly<Record<MenuKind, string>> = {
  track: "track",
  clip: "clip",
  range: "range",
  ruler: "ruler",
  session: "empty place",
};

/** In which menu an action stands, as a way to it: "right click on a track › More". Null: in none. */
export function wayTo(action: string): string | null {
  for (const [kind, entries] of Object.entries(MENUS) as [MenuKind, readonly MenuEntry[]][])
    for (const entry of entries) {
      const way = `right click: ${MENU_NAMES[kind]}`;
      if (entry === action) return way;
      if (isSubmenu(entry) && entry.of.includes(action)) return `${way} › ${entry.label}`;
    }
  return null;
}
