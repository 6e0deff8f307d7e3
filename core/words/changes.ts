import type { Changes } from "../delivery/manifest";

/** What became of one file of a package since the one that it carries on. */
export function sinceThen({ name }: { readonly name: string }, changes: Changes): string {
  const renamed = changes.renamed.find((r) => r.to === name);
  const was = renamed ? `, was "${renamed.from}"` : "";
  if (changes.added.includes(name)) return "new";
  if (changes.changed.includes(name)) return `changed${was}`;
  if (changes.unchanged.includes(name)) return "the same bytes";
  return renamed ? `the same sound${was}` : "";
}

/** All of it in sentences, one a thing that happened; the last says what of the rest is here. */
export function sayChanges(changes: Changes): readonly string[] {
  const { added, changed, unchanged, renamed, removed, full, whyAll } = changes;
  const list = (names: readonly string[]) => names.join(", ");
  return [
    ...(changed.length > 0 ? [`Changed: ${list(changed)}.`] : []),
    ...(added.length > 0 ? [`New: ${list(added)}.`] : []),
    ...(removed.length > 0 ? [`No longer there: ${list(removed)}.`] : []),
    ...renamed.map(({ from, to }) => `Renamed: ${from} is now ${to}.`),
    ...(unchanged.length > 0
      ? [
          full
            ? `The same bytes as before: ${list(unchanged)}.`
            : `Not in this package, because nothing in them changed; keep those you have: ${list(unchanged)}.`,
        ]
      : []),
    ...(whyAll === null ? [] : [`All files were rendered anew, because ${whyAll}.`]),
    ...(changed.length + added.length + removed.length + renamed.length === 0 && whyAll === null
      ? ["Nothing has changed."]
      : []),
  ];
}
