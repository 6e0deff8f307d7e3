"use client";

import { useDroppable } from "@dnd-kit/core";
import { Plus } from "lucide-react";
import { useSessionParts } from "../session/provider";
import { trackName } from "../session/track-state";
import { onRows, withRows } from "../../core/delivery/sheet";
import { addStem, leftOut } from "./sheet-edits";
import { SourceChip } from "./sheet-row";

/** What it is called where something is dropped. */
export const TRAY = "tray";

/** What sounds in the session and is in no stem. Dropping something here leaves it out. */
export function Tray() {
  const { written, take } = useSessionParts((s) => ({ written: s.session, take: s.take }));
  const session = withRows(written);
  const { setNodeRef, isOver } = useDroppable({ id: TRAY, data: { tray: true } });
  const waiting = leftOut(session);
  return (
    <section
      ref={setNodeRef}
      aria-label="Left out"
      className={`flex items-center gap-4 border-t border-dashed border-ink/60 px-5 py-1.5 ${isOver ? "bg-spot-wash" : "bg-paper"}`}
    >
      <h2 className="eyebrow shrink-0">Left out</h2>
      {waiting.length === 0 ? (
        <p className="text-soft">Every track is in a stem. Drop one here to leave it out.</p>
      ) : (
        <ul className="flex flex-wrap gap-x-4 gap-y-1.5">
          {waiting.map((t) => (
            <li key={t.id} className="flex items-center gap-1">
              <SourceChip track={t.id} name={trackName(t)} />
              <button
                type="button"
                aria-label={`Add ${trackName(t)} as a stem`}
                title={`Add ${trackName(t)} as a stem`}
                onClick={() =>
                  take(
                    onRows(
                      written,
                      addStem(session, t, () => crypto.randomUUID()),
                    ),
                  )
                }
                className="grid size-6 place-items-center rounded-sm hover:bg-shade"
              >
                <Plus size={14} aria-hidden />
              </button>
              {t.mute && <span className="text-xs text-signal">muted</span>}
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}
