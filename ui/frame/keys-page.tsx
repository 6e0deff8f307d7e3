"use client";

import { X } from "lucide-react";
import { Dialog } from "radix-ui";
import { usePathname } from "next/navigation";
import { keyText } from "../actions/action";
import { SCREENS } from "../session/screens";
import { useDialogs } from "./dialogs";
import { actionsNow } from "./registry";

const WITH_THE_POINTER = [
  ["Press the ruler", "put the playhead there"],
  ["Drag along the ruler", "set a range to loop"],
  ["Drop files on the lanes", "import audio or MIDI"],
  ["Drag a track's number", "move the track"],
  ["Drag a device along its path", "change the order"],
  ["Drag the end of a path", "run it into another group"],
  ["Drag a clip", "move it; snaps to beats"],
  ["Drag a clip's edge", "trim it"],
  ["Double-click notes or a nest", "open it"],
  ["Drag from a frozen track", "copy its audio onto another, or onto a pad"],
  ["Drag a clip onto a pad", "print it there"],
  ["Drag from the shelf onto a pad", "lay it on the pad"],
  ["Alt while dragging", "no snapping"],
  ["Wheel with Ctrl", "zoom at the pointer"],
  ["Wheel with Shift", "scroll through time"],
  ["Drag a fader or pan sideways", "move it; with Shift finely"],
  ["Double-click a fader or pan", "back to neutral"],
  ["Double-click a name", "rename it"],
] as const;

/** Where the guide speaks of a screen. */
const GUIDE_OF: Readonly<Record<(typeof SCREENS)[number]["name"], string>> = {
  Bench: "edit",
  Stems: "stems",
  Proof: "proof",
  Handoff: "deliver",
  Shelf: "print",
  Instruments: "instruments",
};

/** All keys, made from the actions themselves. */
export function KeysPage() {
  const { open: what, show } = useDialogs();
  const open = what === "keys";
  const onOpenChange = (isOpen: boolean) => show(isOpen ? "keys" : null);
  const pathname = usePathname();
  const here = SCREENS.find((s) => s.path !== "" && pathname.endsWith(s.path)) ?? SCREENS[0];
  const chapter = GUIDE_OF[here.name];
  const list = open ? actionsNow().filter((a) => a.key !== null) : [];
  const groups = [...new Set(list.map((a) => a.group))];
  return (
    <Dialog.Root open={open} onOpenChange={onOpenChange}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-strip/40" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-1/2 left-1/2 z-50 max-h-[86vh] w-[860px] -translate-x-1/2 -translate-y-1/2 overflow-auto rounded-sm border border-ink bg-lift p-6 text-ink shadow-[6px_6px_0_var(--rule)]"
        >
          <div className="flex items-start justify-between">
            <Dialog.Title className="text-2xl font-bold tracking-tight">Keys</Dialog.Title>
            <a
              href={`/guide#${chapter}`}
              target="_blank"
              rel="noreferrer"
              className="ml-6 flex min-h-7 flex-1 items-center font-semibold text-spot underline underline-offset-4"
            >
              Open the guide: {here.name}
            </a>
            <Dialog.Close aria-label="Close" className="grid size-7 place-items-center hover:bg-shade">
              <X size={16} aria-hidden />
            </Dialog.Close>
          </div>
          <div className="mt-3 columns-2 gap-10">
            {groups.map((group) => (
              <section key={group} className="mb-4 break-inside-avoid">
                <h2 className="border-b border-ink font-semibold">{group}</h2>
                <dl>
                  {list
                    .filter((a) => a.group === group)
                    .map((a) => (
                      <div key={a.id} className="flex justify-between gap-4 border-b border-rule py-1">
                        <dt className="truncate">{a.label.replace(/:.*/, "")}</dt>
                        <dd>
                          <kbd className="figure text-xs">{keyText(a.key ?? "")}</kbd>
                        </dd>
                      </div>
                    ))}
                </dl>
              </section>
            ))}
            <section className="break-inside-avoid">
              <h2 className="border-b border-ink font-semibold">With the pointer</h2>
              <dl>
                {WITH_THE_POINTER.map(([what, does]) => (
                  <div key={what} className="flex justify-between gap-4 border-b border-rule py-1">
                    <dt>{what}</dt>
                    <dd className="text-soft">{does}</dd>
                  </div>
                ))}
              </dl>
            </section>
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
