"use client";

import { Plus } from "lucide-react";
import { useState } from "react";
import type { Session } from "../../core/session/document";
import { ASSET_DRAG } from "../shelf/piece";

/** The shelf's audio by name, to be dragged onto a pad, or laid onto the chosen one by a press. */
export function Pieces({
  session,
  onto,
  onLay,
}: {
  readonly session: Session;
  readonly onto: string;
  readonly onLay: (asset: string) => void;
}) {
  const [search, setSearch] = useState("");
  const found = session.assets.filter((a) => a.name.toLowerCase().includes(search.trim().toLowerCase())).toReversed();
  return (
    <div className="flex min-h-0 flex-col border-l border-rule">
      <input
        type="search"
        value={search}
        onChange={(e) => setSearch(e.target.value)}
        onKeyDown={(e) => e.stopPropagation()}
        aria-label="Search the audio"
        placeholder="audio to drag onto a pad …"
        className="mt-1.5 mr-9 ml-2 min-h-6 rounded-sm border border-rule bg-lift px-2 text-xs hover:border-ink"
      />
      <ul aria-label="Audio for pads" className="mt-1 min-h-0 flex-1 overflow-y-auto border-t border-rule">
        {found.map((a) => (
          <li
            key={a.id}
            draggable
            className="flex min-h-6 cursor-grab items-center gap-2 border-b border-rule px-2 text-xs hover:bg-shade"
            onDragStart={(e) => {
              e.dataTransfer.setData(ASSET_DRAG, a.id);
              e.dataTransfer.effectAllowed = "copy";
            }}
          >
            <span className="min-w-0 flex-1 truncate" title={a.name}>
              {a.name}
            </span>
            <span className="figure text-[11px] text-soft">{(a.frames / a.rate).toFixed(1)} s</span>
            <button
              type="button"
              aria-label={`Lay ${a.name} onto ${onto}`}
              title={`Onto ${onto}`}
              onClick={() => onLay(a.id)}
              className="grid size-5 shrink-0 place-items-center rounded-sm text-soft hover:bg-rule hover:text-ink"
            >
              <Plus size={12} aria-hidden />
            </button>
          </li>
        ))}
      </ul>
    </div>
  );
}
