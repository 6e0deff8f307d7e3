"use client";

import { Command } from "cmdk";
import { keyText } from "../actions/action";
import { useActionContext } from "../actions/use-action-context";
import { useDialogs } from "./dialogs";
import { matchScore } from "./match";
import { actionsNow } from "./registry";
import { SYNONYMS } from "./synonyms";

/** What cannot be done now stands at the end. */
const BLOCKED = "Not possible now";
/** How much less a match counts that cannot be done. */
const BLOCKED_WEIGHT = 0.001;

/** `keywords`: label, group, synonyms. What is possible comes first. */
const score = (value: string, search: string, [label = "", group = "", ...synonyms]: string[] = []): number =>
  matchScore(search, label, synonyms, group) * (value.startsWith(BLOCKED) ? BLOCKED_WEIGHT : 1);

/** Every action by name and by what else it is called; what can be done now first, the rest with its reason. */
export function Palette() {
  const context = useActionContext();
  const { open: what, show } = useDialogs();
  const open = what === "palette";
  const onOpenChange = (isOpen: boolean) => show(isOpen ? "palette" : null);
  const list = (open ? actionsNow() : [])
    .filter((a) => a.id !== "palette")
    .map((a) => ({ ...a, label: a.labelNow(context), blocked: a.blocked(context) }));
  const possible = list.filter((a) => a.blocked === null);
  const groups = [
    ...[...new Set(possible.map((a) => a.group))].map((name) => ({
      name,
      of: possible.filter((a) => a.group === name),
    })),
    { name: BLOCKED, of: list.filter((a) => a.blocked !== null) },
  ];
  return (
    <Command.Dialog
      open={open}
      onOpenChange={onOpenChange}
      label="Find an action"
      filter={score}
      overlayClassName="fixed inset-0 z-40 bg-strip/40"
      contentClassName="fixed top-[14vh] left-1/2 z-50 w-[540px] -translate-x-1/2 rounded-sm border border-ink bg-lift text-ink shadow-[6px_6px_0_var(--rule)]"
    >
      <Command.Input
        placeholder="What do you want to do?"
        className="w-full border-b border-ink bg-transparent px-4 py-3 text-base outline-none placeholder:text-faint"
      />
      <Command.List className="max-h-[52vh] overflow-auto p-2">
        <Command.Empty className="px-2 py-4 text-soft">Nothing is called that.</Command.Empty>
        {groups.map(({ name, of }) => (
          <Command.Group
            key={name}
            heading={name}
            className="[&_[cmdk-group-heading]]:eyebrow [&_[cmdk-group-heading]]:px-2 [&_[cmdk-group-heading]]:pt-2"
          >
            {of.map((a) => (
              <Command.Item
                key={a.id}
                value={name === BLOCKED ? `${BLOCKED} ${a.id}` : a.id}
                keywords={[a.label, a.group, ...(SYNONYMS[a.id] ?? [])]}
                disabled={a.blocked !== null}
                onSelect={() => {
                  onOpenChange(false);
                  a.run(context);
                }}
                className="flex items-center gap-3 rounded-sm px-2 py-1.5 data-[disabled=true]:text-faint data-[selected=true]:bg-spot-wash"
              >
                <span className="flex-1 truncate">{a.label}</span>
                {a.blocked !== null && <span className="text-xs">{a.blocked}</span>}
                {a.key !== null && <kbd className="figure text-xs text-soft">{keyText(a.key)}</kbd>}
              </Command.Item>
            ))}
          </Command.Group>
        ))}
      </Command.List>
    </Command.Dialog>
  );
}
