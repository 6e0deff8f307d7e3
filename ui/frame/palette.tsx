"use client";

import { Command } from "cmdk";
import { keyText } from "../actions/action";
import { useActionContext } from "../actions/use-action-context";
import { useDialogs } from "./dialogs";
import { actionsNow } from "./registry";

/** Every action by name. What cannot be done now says why. */
export function Palette() {
  const context = useActionContext();
  const { open: what, show } = useDialogs();
  const open = what === "palette";
  const onOpenChange = (isOpen: boolean) => show(isOpen ? "palette" : null);
  const list = (open ? actionsNow() : [])
    .filter((a) => a.id !== "palette")
    .map((a) => ({ ...a, label: a.labelNow(context), blocked: a.blocked(context) }));
  const groups = [...new Set(list.map((a) => a.group))];
  return (
    <Command.Dialog
      open={open}
      onOpenChange={onOpenChange}
      label="Find an action"
      overlayClassName="fixed inset-0 z-40 bg-strip/40"
      contentClassName="fixed top-[14vh] left-1/2 z-50 w-[540px] -translate-x-1/2 rounded-sm border border-ink bg-lift text-ink shadow-[6px_6px_0_var(--rule)]"
    >
      <Command.Input
        placeholder="What do you want to do?"
        className="w-full border-b border-ink bg-transparent px-4 py-3 text-base outline-none placeholder:text-faint"
      />
      <Command.List className="max-h-[52vh] overflow-auto p-2">
        <Command.Empty className="px-2 py-4 text-soft">Nothing is called that.</Command.Empty>
        {groups.map((group) => (
          <Command.Group
            key={group}
            heading={group}
            className="[&_[cmdk-group-heading]]:eyebrow [&_[cmdk-group-heading]]:px-2 [&_[cmdk-group-heading]]:pt-2"
          >
            {list
              .filter((a) => a.group === group)
              .map((a) => (
                <Command.Item
                  key={a.id}
                  value={`${a.group} ${a.label}`}
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
