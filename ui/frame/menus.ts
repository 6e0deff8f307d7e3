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
    "slip",
    "mute",
    "solo",
    "track-duplicate",
    { label: "Show", of: ["automation", "row", "kit", "hide"] },
    {
      label: "More",
      of: ["consolidate-zero", "track-group", "park", "unpark", "track-up", "track-down", "track-remove"],
    },
  ],
  clip: [
    "clip-cut-here",
    "clip-mute",
    "clip-duplicate",
    "consolidate",
    "clip-crossfade",
    "notes",
    { label: "Edit", of: ["clip-copy", "clip-take", "clip-paste", "clip-repeat", "clip-remove"] },
    { label: "Shape", of: ["clip-slice", "clip-aside", "clip-nest", "clip-unnest"] },
    "look",
  ],
  range: [
    "range-mark",
    "range-cut",
    "range-clear",
    "consolidate",
    "slip",
    "range-save",
    "clip-copy",
    "look",
    "range-none",
  ],
  ruler: ["loop", "unmark", "marker-add", "range-save", "range-next", "range-before", "fit", "zoom-in", "zoom-out"],
  session: [
    "print-mix",
    "go-Stems",
    "select-all",
    "clip-paste",
    { label: "Add", of: ["add-audio", "add-instrument", "add-group", "add-return"] },
    "bring-in",
    "take-in",
    "fit",
    "palette",
  ],
};
