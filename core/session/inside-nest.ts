import type { AudioClip, Clip, NestClip, Track } from "./document";
import type { Edit } from "./edits";
import type { Frames } from "../units";

type Child = AudioClip | NestClip;

/**
 * A nest inside a nest inside a nest: the one that a path of ids leads to, and how far its own time stands from the
 * timeline; null where the path leads nowhere.
 */
export function nestAt(
  top: NestClip,
  path: readonly string[],
): { readonly nest: NestClip; readonly shift: Frames } | null {
  let nest = top;
  let shift = top.start - top.offset;
  for (const id of path) {
    const next = nest.children.find((c) => c.id === id);
    if (next?.kind !== "nest") return null;
    shift += next.start - next.offset;
    nest = next;
  }
  return { nest, shift };
}

/** The children of the top nest with those of the nest at a path replaced. */
export function withChildren(top: NestClip, path: readonly string[], children: readonly Child[]): readonly Child[] {
  const [id, ...rest] = path;
  if (id === undefined) return children;
  return top.children.map((c) =>
    c.id === id && c.kind === "nest" ? { ...c, children: withChildren(c, rest, children) } : c,
  );
}

/**
 * A nest's children as a track of their own, where they stand on the timeline: what can be done to clips can be done to
 * them. `shift`: from the nest's own time to the timeline's.
 */
export const trackInside = (track: Track, nest: NestClip, shift: Frames): Track => ({
  ...track,
  frozen: null,
  parked: false,
  clips: nest.children.map((c) => ({ ...c, start: c.start + shift })),
});

/** A nest's children as edits of the clips of `trackInside` leave them, in the nest's own time. */
export function childrenAfter(nest: NestClip, shift: Frames, edits: readonly Edit[]): readonly Child[] {
  let clips: readonly Clip[] = nest.children.map((c) => ({ ...c, start: c.start + shift }));
  for (const edit of edits) {
    if (edit.do === "set") clips = clips.map((c) => (c.id === edit.id ? ({ ...c, ...edit.patch } as Clip) : c));
    if (edit.do === "remove") clips = clips.filter((c) => c.id !== edit.id);
    if (edit.do === "add") clips = clips.toSpliced(edit.index, 0, edit.item as unknown as Clip);
  }
  // Nothing lies before a nest's own zero, and no notes lie in one.
  return clips.flatMap((c): Child[] => (c.kind === "notes" ? [] : [{ ...c, start: Math.max(0, c.start - shift) }]));
}
