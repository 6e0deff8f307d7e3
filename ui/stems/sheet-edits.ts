import type { Session, StemRow, Track } from "../../core/session/document";
import type { Step } from "../../core/session/edits";
import { groupsAbove } from "../../core/session/routing";
import { deliverable, rowFor } from "../../core/delivery/sheet";
import { trackName } from "../session/track-state";

/** Every change of the stem sheet as the step it is. Pure: they are offered, undone and tested without a screen. */
const rowOf = (session: Session, id: string): StemRow | undefined => session.sheet.rows.find((r) => r.id === id);

/** Tracks that sound in the session and stand in no stem. */
export function leftOut(session: Session): readonly Track[] {
  const taken = new Set(session.sheet.rows.flatMap((r) => r.sources));
  const covered = (track: Track): boolean => [track, ...groupsAbove(session, track)].some((t) => taken.has(t.id));
  return deliverable(session).filter((t) => !covered(t));
}

/** Puts a track into a row: taken from the row it was in, which goes when it is empty. */
export function combine(session: Session, track: string, into: string): Step | null {
  const target = rowOf(session, into);
  const from = session.sheet.rows.find((r) => r.sources.includes(track));
  const moved = session.tracks.find((t) => t.id === track);
  if (!target || !moved || target.sources.includes(track)) return null;
  const rest = from?.sources.filter((s) => s !== track) ?? [];
  return {
    label: `Combine ${trackName(moved)} into ${target.name}`,
    edits: [
      ...(!from
        ? []
        : rest.length === 0
          ? [{ do: "remove" as const, in: "rows" as const, id: from.id }]
          : [{ do: "set" as const, in: "rows" as const, id: from.id, patch: { sources: rest } }]),
      { do: "set", in: "rows", id: into, patch: { sources: [...target.sources, track] } },
    ],
  };
}

/** Puts all sources of one row into another. */
export function combineRows(session: Session, row: string, into: string): Step | null {
  const source = rowOf(session, row);
  const target = rowOf(session, into);
  if (!source || !target || row === into) return null;
  return {
    label: `Combine ${source.name} into ${target.name}`,
    edits: [
      { do: "remove", in: "rows", id: row },
      {
        do: "set",
        in: "rows",
        id: into,
        patch: { sources: [...target.sources, ...source.sources.filter((s) => !target.sources.includes(s))] },
      },
    ],
  };
}

/** Leaves one source out; the last one takes its row with it. */
export function leaveOut(session: Session, row: string, track: string | null): Step | null {
  const source = rowOf(session, row);
  if (!source) return null;
  const rest = track === null ? [] : source.sources.filter((s) => s !== track);
  const name =
    track === null
      ? source.name
      : trackName(session.tracks.find((t) => t.id === track) ?? ({ name: source.name } as Track));
  return {
    label: `Leave out ${name}`,
    edits: [
      rest.length === 0
        ? { do: "remove", in: "rows", id: row }
        : { do: "set", in: "rows", id: row, patch: { sources: rest } },
    ],
  };
}

/** Gives every source of a row a stem of its own, where the row stood. */
export function takeApart(session: Session, row: string, newId: () => string): Step | null {
  const source = rowOf(session, row);
  if (!source || source.sources.length < 2) return null;
  const index = session.sheet.rows.indexOf(source);
  const [first, ...others] = source.sources;
  if (first === undefined) return null;
  const tracks = others.flatMap((id) => session.tracks.find((t) => t.id === id) ?? []);
  return {
    label: `Take ${source.name} apart`,
    edits: [
      { do: "set", in: "rows", id: row, patch: { sources: [first] } },
      ...tracks.map((t, i) => ({
        do: "add" as const,
        in: "rows" as const,
        item: { ...rowFor(t, newId()), tap: source.tap, returns: source.returns },
        index: index + 1 + i,
      })),
    ],
  };
}

export const addStem = (session: Session, track: Track, newId: () => string): Step => ({
  label: `Add ${trackName(track)} to the sheet`,
  edits: [{ do: "add", in: "rows", item: { ...rowFor(track, newId()) }, index: session.sheet.rows.length }],
});

export function moveRow(session: Session, row: string, to: number): Step | null {
  const from = session.sheet.rows.findIndex((r) => r.id === row);
  const held = Math.max(0, Math.min(session.sheet.rows.length - 1, to));
  return from < 0 || from === held
    ? null
    : { label: "Reorder stems", edits: [{ do: "move", in: "rows", id: row, index: held }] };
}
