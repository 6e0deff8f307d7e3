"use client";

import { Plus, Trash2 } from "lucide-react";
import { useState } from "react";
import { makeDevice } from "../../core/session/build";
import { catalogue, declarationOf } from "../../core/devices/catalogue";
import type { PatchOf } from "../../core/session/records";
import type { AudioClip, Device } from "../../core/session/document";
import { Floating } from "../parts/floating";
import { Menu, MenuItem } from "../parts/menu";
import { DeviceControls } from "../devices/device-panel";

/** Effects on one clip alone, in order; they end with it, or ring on. */
export function ClipProcess({
  clip,
  set,
}: {
  readonly clip: AudioClip;
  readonly set: (label: string, patch: PatchOf<"clips">) => void;
}) {
  const [open, setOpen] = useState<string | null>(null);
  const put = (label: string, process: readonly Device[]) => set(label, { process: process.map((d) => ({ ...d })) });
  const shown = clip.process.find((d) => d.id === open) ?? clip.process[0];
  const name = (d: Device) => declarationOf(d.type)?.name ?? d.type;
  return (
    <Floating
      label="Effects on this clip"
      width={390}
      trigger={
        <button
          type="button"
          className="min-h-6 rounded-sm border border-rule bg-lift px-2 whitespace-nowrap hover:border-ink"
        >
          effects
          {clip.process.length > 0 && (
            <>
              {" "}
              <b className="figure text-ink">{clip.process.length}</b>
            </>
          )}
        </button>
      }
    >
      <div className="flex flex-wrap items-center gap-1.5">
        {clip.process.map((d) => (
          <button
            key={d.id}
            type="button"
            aria-pressed={d === shown}
            onClick={() => setOpen(d.id)}
            className={`h-6 rounded-full border px-2.5 text-[11px] font-medium ${d === shown ? "border-ink bg-ink text-paper" : "border-ink"} ${d.on ? "" : "line-through"}`}
          >
            {name(d)}
          </button>
        ))}
        <Menu
          label="Add an effect to this clip"
          trigger={
            <button
              type="button"
              aria-label="Add an effect to this clip"
              title="Add an effect"
              disabled={clip.process.length >= 8}
              className="grid size-6 place-items-center rounded-full text-soft hover:bg-shade hover:text-ink disabled:opacity-40"
            >
              <Plus size={14} aria-hidden />
            </button>
          }
        >
          {catalogue
            .filter((d) => d.role === "effect" && !d.realTime)
            .map((d) => (
              <MenuItem
                key={d.type}
                onSelect={() => {
                  const device = makeDevice(crypto.randomUUID(), d.type);
                  put(`Add ${d.name}`, [...clip.process, device]);
                  setOpen(device.id);
                }}
              >
                {d.name}
                <span className="text-xs text-soft">{d.about}</span>
              </MenuItem>
            ))}
        </Menu>
        <span className="flex-1" />
        {shown && (
          <button
            type="button"
            aria-label={`Remove ${name(shown)} from the clip`}
            title="Remove"
            onClick={() =>
              put(
                `Remove ${name(shown)}`,
                clip.process.filter((d) => d !== shown),
              )
            }
            className="grid size-6 place-items-center rounded-sm text-soft hover:bg-shade hover:text-ink"
          >
            <Trash2 size={13} aria-hidden />
          </button>
        )}
      </div>
      {shown ? (
        <div className="mt-3 border-t border-rule pt-3">
          <DeviceControls
            key={shown.id}
            device={shown}
            absent="Sound passes it unchanged."
            onMove={() => undefined}
            onSet={(label, patch) =>
              put(
                `${label} of ${name(shown)}`,
                clip.process.map((d) => (d === shown ? patched(d, patch) : d)),
              )
            }
          />
        </div>
      ) : (
        <p className="mt-2 text-xs text-soft">
          None yet. They work on this clip alone, before its gain and fades, and end where it ends.
        </p>
      )}
      {clip.process.length > 0 && (
        <label className="mt-3 flex items-start gap-1.5 border-t border-rule pt-2 text-xs">
          <input
            type="checkbox"
            className="size-4 accent-[var(--spot)]"
            checked={clip.ringsOn}
            onChange={(e) =>
              set(e.target.checked ? "Let the effects ring on" : "End the effects with the clip", {
                ringsOn: e.target.checked,
              })
            }
          />
          <span>
            ring on behind the clip&rsquo;s end
            <span className="block text-soft">Its fades then lie in front of the effects.</span>
          </span>
        </label>
      )}
    </Floating>
  );
}

/** Parameters merge key by key; null takes one back to its default. */
function patched(device: Device, patch: PatchOf<"devices">): Device {
  const { params, ...rest } = patch as { params?: Record<string, number | null> };
  const merged = Object.entries({ ...device.params, ...params }).filter(
    (entry): entry is [string, number] => entry[1] !== null,
  );
  return { ...device, ...rest, params: Object.fromEntries(merged) };
}
