import type { AudioClip, NestClip } from "./document";
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
