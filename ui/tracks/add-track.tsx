"use client";

import { ListPlus } from "lucide-react";
import { useActionContext } from "../actions/use-action-context";
import { Menu, MenuItem } from "../parts/menu";
import { trackActions } from "./track-actions";

/** The plus above the tracks: a new one of each kind, below the one that is selected. */
export function AddTrack() {
  const context = useActionContext();
  return (
    <Menu
      label="Add a track"
      trigger={
        <button
          type="button"
          aria-label="Add a track"
          title="Add a track"
          className="grid size-6 place-items-center rounded-sm text-soft hover:bg-shade hover:text-ink"
        >
          <ListPlus size={16} aria-hidden />
        </button>
      }
    >
      {(["audio", "instrument", "group", "return"] as const).map((kind) => (
        <MenuItem key={kind} onSelect={() => trackActions.find((a) => a.id === `add-${kind}`)?.run(context)}>
          {{ audio: "Audio track", instrument: "Instrument track", group: "Group", return: "Return" }[kind]}
          <span className="text-soft">
            {
              { audio: "plays recordings", instrument: "plays notes", group: "sums tracks", return: "takes sends" }[
                kind
              ]
            }
          </span>
        </MenuItem>
      ))}
    </Menu>
  );
}
