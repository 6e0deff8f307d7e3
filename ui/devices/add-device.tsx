"use client";

import { Plus } from "lucide-react";
import { useRouter } from "next/navigation";
import { toast } from "sonner";
import { catalogue } from "../../core/devices/catalogue";
import type { Track } from "../../core/session/document";
import { addDevice } from "../../core/session/track-edits";
import { Menu, MenuHeading, MenuItem } from "../parts/menu";
import { useSessionParts } from "../session/provider";
import { pathOf } from "../session/screens";
import { trackName } from "../session/track-state";
import { sayFirstProblem } from "../../core/words/problems";

/** The plus behind a path's last device: another effect, or another instrument in place of the one there. */
export function AddDevice({ track, x }: { readonly track: Track; readonly x: number }) {
  const { id, edit, select } = useSessionParts((s) => ({ id: s.id, edit: s.edit, select: s.select }));
  const router = useRouter();
  const name = trackName(track);
  const add = (type: string, label: string) => {
    const made = addDevice(track, type, () => crypto.randomUUID());
    if (made.ok) edit(label, made.value);
    else toast.error(sayFirstProblem(made.problems));
  };
  return (
    <Menu
      label={`Add a device to ${name}`}
      trigger={
        <button
          type="button"
          aria-label={`Add a device to ${name}`}
          title={`Add a device to ${name}`}
          className="absolute top-[var(--middle)] grid h-6 w-6 place-items-center rounded-full text-faint hover:bg-lift hover:text-ink focus-visible:text-ink"
          style={{ left: x }}
        >
          <Plus size={13} aria-hidden />
        </button>
      }
    >
      <MenuHeading>Effects</MenuHeading>
      {catalogue
        .filter((d) => d.role === "effect")
        .map((d) => (
          <MenuItem key={d.type} onSelect={() => add(d.type, `Add ${d.name} to ${name}`)}>
            <span className="grid grid-cols-[72px_1fr] items-baseline">
              <b className="font-medium">{d.name}</b>
              <span className="text-xs text-soft">{d.about}</span>
            </span>
          </MenuItem>
        ))}
      {track.kind === "instrument" && (
        <>
          <MenuHeading>Another instrument instead</MenuHeading>
          <MenuItem
            onSelect={() => {
              select([track.id]);
              router.push(pathOf(id, "/instruments"));
            }}
          >
            <span className="grid grid-cols-[72px_1fr] items-baseline">
              <b className="font-medium">Yours …</b>
              <span className="text-xs text-soft">A preset of a SoundFont</span>
            </span>
          </MenuItem>
          {catalogue
            .filter((d) => d.role === "instrument" && !d.playsInstrument && d.type !== track.devices[0]?.type)
            .map((d) => (
              <MenuItem key={d.type} onSelect={() => add(d.type, `Exchange the instrument of ${name}`)}>
                <span className="grid grid-cols-[72px_1fr] items-baseline">
                  <b className="font-medium">{d.name}</b>
                  <span className="text-xs text-soft">{d.about}</span>
                </span>
              </MenuItem>
            ))}
        </>
      )}
    </Menu>
  );
}
