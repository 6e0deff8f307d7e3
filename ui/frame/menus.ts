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
    { label: "Show", of: ["automation", "row", "kit", "hide"] },
    {
      label: "More",
      of: [
        "track-duplicate",
        "consolidate-zero",
        "track-group",
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
    { label: "Edit", of: ["clip-copy", "clip-take", "clip-paste", "clip-repeat", "clip-remove"] },
    { label: "Shape", of: ["clip-slice", "clip-aside", "clip-nest", "clip-unnest"] },
    { label: "Show", of: ["notes", "look"] },
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
  ruler: ["loop", "unmark", "marker-add", "range-save", "range-next", "range-before", "fit", "zoom-in", "zoom-out"],
  session: [
    "print-mix",
    "go-Stems",
    "go-Handoff",
    "select-all",
    "clip-paste",
    { label: "Add", of: ["add-audio", "add-instrument", "add-group", "add-return"] },
    "bring-in",
    "take-in",
    "palette",
  ],
};

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
