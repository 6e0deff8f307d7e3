import type { Session } from "../../core/session/document";
import type { Edit } from "../../core/session/edits";
import type { Frames } from "../../core/units";
import type { ItemEntry } from "../parts/item-menu";

type DoEdit = (label: string, edits: readonly Edit[]) => void;

type Marker = Session["markers"][number];
type SavedRange = Session["ranges"][number];

interface Hands {
  readonly edit: DoEdit;
  readonly seek: (frame: Frames) => void;
}

/** What can be done with a marker. `at`: frame of the timeline it stands at. */
export function markerEntries({ id, name }: Marker, at: Frames, { edit, seek }: Hands): readonly ItemEntry[] {
  return [
    { label: "Move playhead here", run: () => seek(at) },
    {
      label: "Remove marker",
      run: () => edit(`Remove the marker ${name}`, [{ do: "remove", in: "markers", id }]),
    },
  ];
}

interface RangeHands extends Hands {
  readonly loop: (span: { readonly from: Frames; readonly to: Frames }) => void;
  readonly select: (range: { readonly from: Frames; readonly to: Frames; readonly tracks: readonly string[] }) => void;
}

/** What can be done with a saved range. `span`: where it lies, in frames of the timeline. */
export function rangeEntries(
  session: Session,
  { id, name, from, to }: SavedRange,
  span: { readonly from: Frames; readonly to: Frames },
  { edit, seek, loop, select }: RangeHands,
): readonly ItemEntry[] {
  return [
    { label: "Move playhead here", run: () => seek(span.from) },
    {
      label: "Loop range",
      run: () => loop(span),
    },
    {
      label: "Select range on all tracks",
      run: () => select({ ...span, tracks: session.tracks.filter((t) => t.kind !== "mix").map((t) => t.id) }),
    },
    {
      label: "Export this range",
      run: () => edit("Range of the stems", [{ do: "set sheet", patch: { from: from === 0 ? null : from, to } }]),
    },
    { label: "Remove range", run: () => edit(`Remove the range ${name}`, [{ do: "remove", in: "ranges", id }]) },
  ];
}
