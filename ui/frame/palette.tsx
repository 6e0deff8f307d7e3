"use client";

import { Command } from "cmdk";
import { useEffect, useState } from "react";
import type { Action, ActionContext } from "../actions/action";
import { keyText } from "../actions/action";
import { useActionContext } from "../actions/use-action-context";
import { useLibrary } from "../instruments/library-store";
import { presetPlaces } from "../instruments/preset-places";
import { useDialogs } from "./dialogs";
import type { Findable } from "./match";
import { rank } from "./match";
import { wayTo } from "./menus";
import { placesOf } from "./places";
import { actionsNow } from "./registry";
import { SYNONYMS } from "./synonyms";

/** A line of the palette. */
interface Entry extends Findable {
  readonly id: string;
  /** What it is or how else it is reached. */
  readonly about: string | null;
  readonly key: string | null;
  /** Why it cannot be done now. */
  readonly blocked: string | null;
  readonly run: () => void;
}

/** What cannot be done now stands at the end. */
const BLOCKED = "Not possible now";
const FOUND = "Best matches";
const MOST_SHOWN = 60;

const entryOf = (action: Action, context: ActionContext): Entry => ({
  id: action.id,
  label: action.labelNow(context),
  // Its plain name finds it, too, where what is there changes it.
  synonyms: [action.label, ...(SYNONYMS[action.id] ?? [])],
  group: action.group,
  about: wayTo(action.id),
  key: action.key,
  blocked: action.blocked(context),
  run: () => action.run(context),
});

/** Lines under their headings: possible ones first, by group, or by how well they answer the search. */
function headed(entries: readonly Entry[], isSearch: boolean): readonly (readonly [string, readonly Entry[]])[] {
  const possible = entries.filter((e) => e.blocked === null);
  const blocked = entries.filter((e) => e.blocked !== null);
  const groups = isSearch
    ? [[FOUND, possible] as const]
    : [...new Set(possible.map((e) => e.group))].map((g) => [g, possible.filter((e) => e.group === g)] as const);
  return [...groups, [BLOCKED, blocked] as const].filter(([, of]) => of.length > 0);
}

/** Every action by name and by what else it is called, and whatever has a name in the session. */
export function Palette() {
  const { open: what, show } = useDialogs();
  const isOpen = what === "palette";
  return (
    <Command.Dialog
      open={isOpen}
      onOpenChange={(open) => show(open ? "palette" : null)}
      label="Find an action"
      shouldFilter={false}
      overlayClassName="fixed inset-0 z-40 bg-strip/40"
      contentClassName="fixed top-[14vh] left-1/2 z-50 w-[600px] -translate-x-1/2 rounded-sm border border-ink bg-lift text-ink shadow-[6px_6px_0_var(--rule)]"
    >
      {isOpen && <Search onDone={() => show(null)} />}
    </Command.Dialog>
  );
}

/** Lines that answer a search, under their headings. */
function useFound(search: string) {
  const context = useActionContext();
  const isSearch = search.trim() !== "";
  // Asked once, when it opens: nothing is done while it is open.
  const [actions] = useState(() =>
    actionsNow()
      .filter((a) => a.id !== "palette")
      .map((a) => entryOf(a, context)),
  );
  const places = placesOf(context.session.getState().session, search).map((place): Entry => ({
    ...{ ...place, key: null, blocked: null },
    run: () => place.go(context),
  }));
  const { files, load } = useLibrary();
  useEffect(() => void load(), [load]);
  const { session, selected, putInstruments } = context.session.getState();
  const presets = presetPlaces(files ?? [], session, selected.at(-1), search).map(
    ({ id, label, about, synonyms, file, preset, track }): Entry => ({
      ...{ id, label, about, synonyms, group: "Instruments of yours", key: null, blocked: null },
      run: () => void putInstruments(file, [{ preset, track }]),
    }),
  );
  const found = rank(search, [...actions, ...places, ...presets]);
  return headed(isSearch ? found.slice(0, MOST_SHOWN) : found, isSearch);
}

function Search({ onDone }: { readonly onDone: () => void }) {
  const [search, setSearch] = useState("");
  const found = useFound(search);
  return (
    <>
      <Command.Input
        value={search}
        onValueChange={setSearch}
        placeholder="What do you want to do?"
        className="w-full border-b border-ink bg-transparent px-4 py-3 text-base outline-none placeholder:text-faint"
      />
      <Command.List className="max-h-[52vh] overflow-auto p-2">
        {found.length === 0 && (
          <p className="px-2 py-4 text-soft">Nothing is called that. Try one word, such as freeze, export or mute.</p>
        )}
        {found.map(([heading, of]) => (
          // Keyed by the search, so that the first line is picked again whenever it changes.
          <Command.Group
            key={`${search}/${heading}`}
            heading={heading}
            className="[&_[cmdk-group-heading]]:eyebrow [&_[cmdk-group-heading]]:px-2 [&_[cmdk-group-heading]]:pt-2"
          >
            {of.map((entry) => (
              <Line
                key={entry.id}
                entry={entry}
                onPick={() => {
                  onDone();
                  entry.run();
                }}
              />
            ))}
          </Command.Group>
        ))}
      </Command.List>
    </>
  );
}

function Line({
  entry: { id, label, about, key, blocked },
  onPick,
}: {
  readonly entry: Entry;
  readonly onPick: () => void;
}) {
  return (
    <Command.Item
      value={id}
      disabled={blocked !== null}
      onSelect={onPick}
      className="flex items-center gap-3 rounded-sm px-2 py-1.5 data-[disabled=true]:text-faint data-[selected=true]:bg-spot-wash"
    >
      <span className="min-w-0 flex-1 truncate">{label}</span>
      <span className="max-w-64 truncate text-xs text-soft">{blocked ?? about}</span>
      {key !== null && <kbd className="figure text-xs text-soft">{keyText(key)}</kbd>}
    </Command.Item>
  );
}
