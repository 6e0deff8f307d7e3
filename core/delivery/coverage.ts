import { byId } from "../by-id";
import { declarationOf, sharesAddUp } from "../devices/catalogue";
import { MIX_AFTER } from "../engine/tap";
import type { Session, StemRow, Track } from "../session/document";
import { membersOf } from "../session/routing";
import { deliverable, isOfReturns, stemRows, wholeOf } from "./sheet";
import { shownName } from "../session/names";

/** Why the stems need not add up to the mix. The sentences are in `core/words/coverage.ts`. */
export type Gap =
  | { readonly kind: "not ticked"; readonly stems: number }
  | {
      readonly kind: "before its fader" | "before its group" | "through the mix alone" | "folded to mono";
      readonly stem: string;
    }
  | { readonly kind: "returns in some stems" }
  | { readonly kind: "return twice" | "in no stem"; readonly track: string }
  | { readonly kind: "in several stems"; readonly track: string; readonly stems: number }
  | { readonly kind: "not linear"; readonly device: string; readonly track: string }
  | { readonly kind: "changed files alone" };

/**
 * Whether the ticked stems must add up to the mix before its chain, or after it where all went through that; where not,
 * each reason once.
 */
export function coverage(
  session: Session,
  splits: (deviceType: string, linked: boolean) => boolean = sharesAddUp,
): readonly Gap[] {
  const all = stemRows(session);
  const rows = all.filter((r) => r.ticked);
  const gaps: Gap[] = [];
  const count = new Map<string, number>();
  const tracks = byId(session.tracks);
  const throughMix = wholeOf(rows) === MIX_AFTER;
  const baked = rows.filter((r) => r.returns).length;
  const isBaked = (row: StemRow) => baked > 0 && baked === rows.length && isOfReturns(session, row);
  const left = all.filter((r) => !r.ticked && !isBaked(r)).length;
  if (left > 0) gaps.push({ kind: "not ticked", stems: left });
  for (const row of rows) {
    const stem = row.name;
    for (const source of new Set(row.sources)) {
      const track = tracks.get(source);
      // A group's stem covers everything routed into it.
      for (const covered of track?.kind === "group" ? soundsOf(session, track) : [source])
        count.set(covered, (count.get(covered) ?? 0) + 1);
    }
    const inGroup = row.sources.some((s) => tracks.get(tracks.get(s)?.output ?? "")?.kind === "group");
    if (row.tap === "clip" || row.tap === "devices") gaps.push({ kind: "before its fader", stem });
    else if (row.tap === "channel" && inGroup) gaps.push({ kind: "before its group", stem });
    else if (row.tap === "mix" && !throughMix) gaps.push({ kind: "through the mix alone", stem });
    if (row.channels === "mono") gaps.push({ kind: "folded to mono", stem });
  }
  if (baked > 0 && baked < rows.length) gaps.push({ kind: "returns in some stems" });
  const unticked = new Set(all.filter((r) => !r.ticked).flatMap((r) => r.sources));
  for (const track of deliverable(session)) {
    const times = count.get(track.id) ?? 0;
    if (track.kind === "return" && baked > 0) {
      if (times > 0) gaps.push({ kind: "return twice", track: shownName(track) });
    } else if (times === 0 && !track.mute && !unticked.has(track.id))
      gaps.push({ kind: "in no stem", track: shownName(track) });
    else if (times > 1) gaps.push({ kind: "in several stems", track: shownName(track), stems: times });
  }
  const linked = rows.every((r) => r.linked);
  const isShared = (t: Track) =>
    !t.parked && (t.kind === "group" || (t.kind === "return" && baked > 0) || (t.kind === "mix" && throughMix));
  for (const track of session.tracks.filter(isShared)) {
    const called = new Set(
      track.devices.filter((d) => d.on && !splits(d.type, linked)).map((d) => declarationOf(d.type)?.name ?? d.type),
    );
    for (const device of called) gaps.push({ kind: "not linear", device, track: shownName(track) });
  }
  return gaps;
}

/** Ids of the tracks that make sound within a group. */
const soundsOf = (session: Session, group: Track): readonly string[] =>
  membersOf(session, group).flatMap((t) => (t.kind === "group" ? [] : [t.id]));
