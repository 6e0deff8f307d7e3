"use client";

import { Trash2 } from "lucide-react";
import type { Track } from "../../core/session/document";
import { swapIn } from "../../core/session/take-edits";
import { Editable } from "../parts/editable";
import { Floating } from "../parts/floating";
import { useSession } from "../session/provider";
import { trackName } from "../session/track-state";

/** How many takes rest on a track; opened, each can sound in place of what does now, be named, or go. */
export function Takes({ track }: { readonly track: Track }) {
  const edit = useSession((s) => s.edit);
  const name = trackName(track);
  const count = track.takes.length;
  return (
    <Floating
      label={`Takes of ${name}`}
      side="right"
      width={290}
      trigger={
        <button
          type="button"
          aria-label={`Takes of ${name}`}
          onClick={(e) => e.stopPropagation()}
          className="underline decoration-dotted underline-offset-2 hover:text-ink"
        >
          {count} {count === 1 ? "take" : "takes"}
        </button>
      }
    >
      <p className="eyebrow">Takes of {name}, kept and silent</p>
      <ul aria-label={`Takes of ${name}`} className="text-[13px]" onClick={(e) => e.stopPropagation()}>
        {track.takes.map((take) => {
          const made = swapIn(track, take.id, () => crypto.randomUUID());
          return (
            <li key={take.id} className="flex min-h-8 items-center gap-2 border-b border-rule">
              <div className="min-w-0 flex-1">
                <Editable
                  double
                  value={take.name}
                  label={`Take ${take.name}`}
                  onCommit={(text) =>
                    edit(`Rename ${take.name}`, [
                      { do: "set", in: "takes", track: track.id, id: take.id, patch: { name: text || take.name } },
                    ])
                  }
                  className="w-full font-medium"
                />
              </div>
              <span className="text-xs text-soft">
                {take.clips.length} {take.clips.length === 1 ? "clip" : "clips"}
              </span>
              <button
                type="button"
                disabled={!made.ok}
                onClick={() => {
                  if (made.ok) edit(`${take.name} sounds on ${name}`, made.value);
                }}
                className="min-h-6 rounded-sm px-2 font-semibold text-spot hover:bg-spot-wash disabled:opacity-45"
              >
                let it sound
              </button>
              <button
                type="button"
                aria-label={`Remove ${take.name}`}
                title="Remove"
                onClick={() =>
                  edit(`Remove ${take.name} from ${name}`, [
                    { do: "remove", in: "takes", track: track.id, id: take.id },
                  ])
                }
                className="grid size-6 place-items-center rounded-sm text-soft hover:bg-shade hover:text-ink"
              >
                <Trash2 size={13} aria-hidden />
              </button>
            </li>
          );
        })}
      </ul>
    </Floating>
  );
}
