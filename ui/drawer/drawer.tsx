"use client";

import { X } from "lucide-react";
import { useState, type ReactNode } from "react";
import type { Track } from "../../core/session/document";
import { KitEditor, holderOf } from "../kit/kit-editor";
import { ShelfDrawer } from "../shelf/shelf-drawer";
import { useSessionParts } from "../session/provider";
import { trackName } from "../session/track-state";
import { AutomationLanes } from "./automation-lanes";
import { BendEditor } from "./bend-editor";
import { useDrawer } from "./drawer-store";
import { NestEditor } from "./nest-editor";
import { NoteEditor } from "./note-editor";
import { Columns, DRAWER_HEIGHT } from "./drawer-columns";

/**
 * A sheet under the lanes, on the same time: the automation of the selected track, the notes of the selected clip, the
 * pads of its kit; or the shelf.
 */
export function Drawer({
  lanes,
  enlarged,
}: {
  readonly lanes: number;
  /** A track's row, so high. */
  readonly enlarged: (track: Track, height: number) => ReactNode;
}) {
  const { open, show } = useDrawer();
  const [kept, setKept] = useState<string | null>(null);
  const { session, selected, selectedClip } = useSessionParts((s) => ({
    session: s.session,
    selected: s.selected,
    selectedClip: s.selectedClip,
  }));
  const chosen = session.tracks.find((t) => t.id === (selectedClip?.track ?? selected.at(-1)));
  // A kit stays while something of a track without one is carried to it.
  const kitTrack = chosen && holderOf(chosen) ? chosen : session.tracks.find((t) => t.id === kept);
  if (open === "kit" && kitTrack && kitTrack.id !== kept) setKept(kitTrack.id);
  if (open === null) return null;
  const track =
    open === "notes" || open === "nest" || open === "bend"
      ? session.tracks.find((t) => t.id === selectedClip?.track)
      : chosen;
  const holder = kitTrack ? holderOf(kitTrack) : null;
  const clip = track?.clips.find((c) => c.id === selectedClip?.clip);
  return (
    <section
      aria-label={
        {
          notes: "Notes",
          automation: "Automation",
          shelf: "Shelf",
          kit: "Kit",
          nest: "Nest",
          bend: "Time and pitch",
          row: "Row",
        }[open]
      }
      className="relative border-t border-ink bg-paper"
      style={{ height: DRAWER_HEIGHT }}
    >
      <button
        type="button"
        aria-label="Close"
        title="Close"
        onClick={() => show(null)}
        className="absolute top-1 right-1 z-20 grid size-6 place-items-center rounded-sm text-soft hover:bg-shade hover:text-ink"
      >
        <X size={14} aria-hidden />
      </button>
      {open === "shelf" && <ShelfDrawer />}
      {open === "kit" &&
        (kitTrack && holder ? (
          <KitEditor key={holder.id} track={kitTrack} device={holder} />
        ) : (
          <Empty>Select a track with a kit or a sampler to see what it plays.</Empty>
        ))}
      {open === "nest" &&
        (track && clip?.kind === "nest" ? (
          <NestEditor key={clip.id} track={track} top={clip} width={lanes} />
        ) : (
          <Empty>Select a nest to change what is in it.</Empty>
        ))}
      {open === "row" &&
        (track && ROWS.has(track.kind) ? (
          <Columns
            lanes={lanes}
            left={
              <div className="grid gap-1 px-2 text-xs">
                <b className="truncate text-[13px]">{trackName(track)}</b>
                <span className="text-soft">
                  {track.clips.length} {track.clips.length === 1 ? "clip" : "clips"}
                </span>
              </div>
            }
            middle={enlarged(track, DRAWER_HEIGHT)}
            right={
              <p className="text-soft">
                The row of the selected track, larger: everything is done here as on the lanes. Another track that is
                selected takes its place.
              </p>
            }
          />
        ) : (
          <Empty>Select a track that holds clips to see its row enlarged.</Empty>
        ))}
      {open === "bend" &&
        (track && clip?.kind === "audio" && !track.frozen ? (
          <BendEditor key={clip.id} track={track} clip={clip} width={lanes} />
        ) : (
          <Empty>Select a clip of audio to bend its time and its pitch.</Empty>
        ))}
      {open === "automation" &&
        (track ? (
          <AutomationLanes key={track.id} track={track} width={lanes} />
        ) : (
          <Empty>Select a track to see and add automation.</Empty>
        ))}
      {open === "notes" &&
        (track && clip?.kind === "notes" ? (
          <NoteEditor key={clip.phrase} track={track} clip={clip} width={lanes} />
        ) : (
          <Empty>
            {track && clip ? `${clip.name || "This clip"} on ${trackName(track)} holds audio. ` : ""}Select a clip of
            notes to write in its phrase.
          </Empty>
        ))}
    </section>
  );
}

/** Kinds of tracks that hold clips. */
const ROWS: ReadonlySet<Track["kind"]> = new Set(["audio", "instrument"]);

const Empty = ({ children }: { readonly children: ReactNode }) => <p className="px-5 py-6 text-soft">{children}</p>;
