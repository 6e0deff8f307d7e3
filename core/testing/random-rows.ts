import fc from "fast-check";
import { MIX_AFTER, MIX_BEFORE } from "../engine/tap";
import type { Tap } from "../engine/tap";
import type { Session } from "../session/document";

type PathTap = Tap & { readonly kind: "path" };

/**
 * Rows of every shape: tracks, groups, returns and mixtures of them, the same source twice, at every tap, with and
 * without returns and links.
 */
export const randomRows = fc.array(
  fc.record({
    picks: fc.array(fc.nat(20), { minLength: 1, maxLength: 4 }),
    at: fc.constantFrom<PathTap["at"]>("group", "group", "channel", "mix", "devices", "clip"),
    returns: fc.boolean(),
    linked: fc.boolean(),
  }),
  { minLength: 1, maxLength: 4 },
);

/** The taps that rows make of a session, behind them the mix before and after its chain. */
export function tapsOf(
  session: Session,
  rows: readonly {
    readonly picks: readonly number[];
    readonly at: PathTap["at"];
    readonly returns: boolean;
    readonly linked: boolean;
  }[],
): readonly Tap[] {
  const able = session.tracks.filter((t) => t.kind !== "mix");
  return [
    ...rows.map(({ picks, ...row }): Tap => ({
      kind: "path",
      sources: picks.map((p) => able[p % able.length]?.id ?? ""),
      ...row,
    })),
    MIX_BEFORE,
    MIX_AFTER,
  ];
}

/**
 * Taps that together hold every track once, linked: `parts` says into which row each track goes. A row may hold a group
 * in place of its members where all of them are in it; returns are rows of their own, mixed with others, or baked into
 * all.
 */
export function rowsThatCover(session: Session, parts: readonly number[], returns: boolean): readonly Tap[] {
  const rows = new Map<number, string[]>();
  session.tracks
    .filter((t) => t.kind === "audio" || t.kind === "instrument" || (t.kind === "return" && !returns))
    .forEach((t, i) => {
      const row = parts[i % parts.length] ?? 0;
      rows.set(row, [...(rows.get(row) ?? []), t.id]);
    });
  const leaves = (id: string): readonly string[] =>
    session.tracks.filter((t) => t.output === id).flatMap((t) => (t.kind === "group" ? leaves(t.id) : [t.id]));
  return [...rows.values()].map((sources): Tap => {
    const group = session.tracks.find(
      (t) => t.kind === "group" && leaves(t.id).length > 0 && leaves(t.id).every((m) => sources.includes(m)),
    );
    const folded = group ? [...sources.filter((s) => !leaves(group.id).includes(s)), group.id] : sources;
    return { kind: "path", sources: folded, at: "group", returns, linked: true };
  });
}
