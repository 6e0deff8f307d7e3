import isEqual from "fast-deep-equal";
import { canonicalJson } from "../canonical";
import type { Session, Track } from "../session/document";
import { editsBetween } from "../session/edits-between";
import { refuse } from "../session/problem";
import { groupsAbove, membersOf } from "../session/routing";
import { subjectOf } from "./members/family";
import type { Reopened } from "./members/member";
import { planPrint } from "./plan";
import { awake } from "./refresh";
import type { Slip } from "./slip";
import { shownName } from "../session/names";

/** A print that is reopened, and the step that made it. */
export interface ReopenedPrint {
  readonly slip: Slip;
  /** Which file of its job it is, from 0. */
  readonly place: number;
  /** The session that it was printed from. */
  readonly printed: Session;
  /** The session right before and right after the step that placed it. */
  readonly before: Session;
  readonly after: Session;
  /** All files that this step placed: their place in the job, audio and name. */
  readonly files: readonly { readonly place: number; readonly asset: string; readonly name: string }[];
  /** Later prints that took their sources' place, oldest first: of which tracks, and what plays them. */
  readonly later: readonly { readonly name: string; readonly tracks: readonly string[]; readonly asset: string }[];
}

/**
 * What a track is made of, without what other tracks' prints and reopenings change on it: whether it is parked and
 * shown, and which tracks key its devices.
 */
const content = (t: Track): string =>
  canonicalJson({ ...t, parked: false, hidden: false, devices: t.devices.map((d) => ({ ...d, key: null })) });

/**
 * Takes the placing of a print back: its source sounds as it did before, what plays the print is parked, and keys and
 * stems that had followed to the print go back to the source. Files of the same source go together. Clips that gave way
 * come back to their own track. A source that was changed since comes as a copy of what it was.
 */
export function reopenStep(now: Session, print: ReopenedPrint, newId: () => string): Reopened {
  const { slip, printed, before, after } = print;
  const own = subjectOf(slip).reopen?.(now, before, slip);
  if (own) return own;
  const { sources, ids } = placedBy(print);
  const over = printedOver(now, print.later, [...sources, ...ids]);
  if (over) return refuse("source", `"${over.name}" was printed later and has this sound in it: reopen that first`);
  const isPlaying = now.tracks.some((t) => ids.has(t.id) && !t.parked);
  const restored = new Map<string, Track>();
  const copies: { readonly copy: Track; readonly of: string }[] = [];
  for (const id of sources) {
    const then = printed.tracks.find((t) => t.id === id);
    const was = before.tracks.find((t) => t.id === id);
    const became = after.tracks.find((t) => t.id === id);
    const today = now.tracks.find((t) => t.id === id);
    if (!then || !was || then.kind === "mix") continue;
    // Only what the print parked is woken, and only while the print plays: else something else took its place since.
    const wakes = became !== undefined && became.parked !== was.parked && (ids.size === 0 || isPlaying);
    const rest =
      wakes || !today ? { parked: was.parked, hidden: was.hidden } : { parked: today.parked, hidden: today.hidden };
    if (!today) copies.push({ of: id, copy: { ...then, ...rest, frozen: null } });
    else if (content(today) === content(then)) restored.set(id, { ...today, ...rest });
    else if (became && !isEqual(became.clips, was.clips))
      restored.set(id, { ...today, ...rest, clips: clipsBack(today, was, became), frozen: was.frozen });
    else
      copies.push({
        of: id,
        // Beside a source that sounds, it would be heard twice.
        copy: {
          ...then,
          parked: !today.parked,
          hidden: false,
          frozen: null,
          id: newId(),
          name: `${shownName(then)} as it was`,
        },
      });
  }
  if (restored.size + copies.length === 0) return refuse("source", "nothing of it can be brought back");
  // With its returns, a group's print parked its members, too; one that has a print of its own stays parked.
  for (const id of sources)
    for (const member of membersOf(before, before.tracks.find((t) => t.id === id) ?? (before.tracks[0] as Track))) {
      const today = now.tracks.find((t) => t.id === member.id);
      const parkedByPrint = !member.parked && after.tracks.some((t) => t.id === member.id && t.parked);
      if (today?.parked && parkedByPrint && !slip.tracks.includes(member.id))
        restored.set(member.id, { ...today, parked: false, hidden: member.hidden });
    }
  const target = withFollowers(placeTracks(now, restored, copies, ids), now, { sources, ids, before, copies });
  const edits = editsBetween(now, target);
  if (edits === null) return refuse("source", "it takes more edits than one step can hold");
  if (edits.length === 0) return refuse("source", "its source is there as it was");
  const names = sources.flatMap((id) => printed.tracks.find((t) => t.id === id)?.name ?? []);
  return {
    ok: true,
    value: {
      tracks: [...sources].flatMap((id) => (restored.has(id) ? id : (copies.find((c) => c.of === id)?.copy.id ?? []))),
      step: { label: `Reopen ${names.join(", ") || "the source"}`.slice(0, 200), edits },
    },
  };
}

/**
 * The last later print that contains the sound of some tracks, also through their groups or other prints, and that
 * sounds now. Undefined: there is none.
 */
function printedOver(
  now: Session,
  later: ReopenedPrint["later"],
  tracks: readonly string[],
): ReopenedPrint["later"][number] | undefined {
  const own = now.tracks.filter((t) => tracks.includes(t.id));
  const involved = new Set([...tracks, ...own.flatMap((t) => groupsAbove(now, t)).map((g) => g.id)]);
  let over: ReopenedPrint["later"][number] | undefined;
  for (const l of later) {
    if (!l.tracks.some((t) => involved.has(t))) continue;
    for (const t of now.tracks) {
      if (involved.has(t.id) || !t.clips.some((c) => c.kind === "audio" && c.asset === l.asset)) continue;
      involved.add(t.id);
      if (!t.parked && !t.mute) over = l;
    }
  }
  return over;
}

/** Source tracks that a print is of, and the tracks that its step made to play them. */
function placedBy({ slip, place, printed, before, after, files }: ReopenedPrint): {
  readonly sources: readonly string[];
  readonly ids: ReadonlySet<string>;
} {
  const plan = planPrint(awake(printed, slip), slip);
  const sourcesOf = (at: number): readonly string[] =>
    plan.ok ? (plan.value.files[at]?.sources ?? slip.tracks) : slip.tracks;
  const sources = sourcesOf(place);
  const had = new Set(before.tracks.map((t) => t.id));
  const ids = new Set<string>();
  for (const file of files) {
    if (!sourcesOf(file.place).some((s) => sources.includes(s))) continue;
    for (const t of after.tracks)
      if (!had.has(t.id) && t.clips.some((c) => c.kind === "audio" && c.asset === file.asset && c.name === file.name))
        ids.add(t.id);
  }
  return { sources, ids };
}

/** Clips of a track as they were before a print took their place, with those that came later. */
function clipsBack(today: Track, was: Track, became: Track): Track["clips"] {
  const before = new Set(was.clips.map((c) => c.id));
  const made = new Set(became.clips.filter((c) => !before.has(c.id)).map((c) => c.id));
  return [...was.clips, ...today.clips.filter((c) => !before.has(c.id) && !made.has(c.id))];
}

/** The session with sources back and what plays the print parked. */
function placeTracks(
  now: Session,
  restored: ReadonlyMap<string, Track>,
  copies: readonly { readonly copy: Track; readonly of: string }[],
  prints: ReadonlySet<string>,
): Session {
  const tracks = now.tracks.map((t) => restored.get(t.id) ?? (prints.has(t.id) ? { ...t, parked: true } : t));
  for (const { copy, of } of copies) {
    const beside = tracks.findIndex((t) => t.id === of);
    const print = tracks.findIndex((t) => prints.has(t.id));
    const last = tracks.findIndex((t) => t.kind === "mix");
    tracks.splice(beside >= 0 ? beside + 1 : print >= 0 ? print : last < 0 ? tracks.length : last, 0, copy);
  }
  const there = new Set(tracks.map((t) => t.id));
  const mix = tracks.find((t) => t.kind === "mix")?.id ?? null;
  return {
    ...now,
    tracks: tracks.map((t) =>
      copies.some((c) => c.copy.id === t.id)
        ? {
            ...t,
            output: t.output !== null && there.has(t.output) ? t.output : mix,
            sends: t.sends.filter((s) => there.has(s.to)),
            automation: t.automation.filter(
              (a) => a.target !== "send" || t.sends.some((s) => s.id === a.of && there.has(s.to)),
            ),
            devices: t.devices.map((d) => ({ ...d, key: d.key !== null && there.has(d.key) ? d.key : null })),
          }
        : t,
    ),
  };
}

/** Keys and stems that point at what played the print point at its source again; what it needs is in the session. */
function withFollowers(
  session: Session,
  now: Session,
  {
    sources,
    ids,
    before,
    copies,
  }: {
    readonly sources: readonly string[];
    readonly ids: ReadonlySet<string>;
    readonly before: Session;
    readonly copies: readonly { readonly copy: Track; readonly of: string }[];
  },
): Session {
  const backAs = (id: string): string => copies.find((c) => c.of === id)?.copy.id ?? id;
  const keyBefore = (track: string, device: string): string | null =>
    before.tracks.find((t) => t.id === track)?.devices.find((d) => d.id === device)?.key ?? null;
  const sourceOf = (key: string | null): string | null =>
    key !== null && sources.includes(key) ? key : sources.length === 1 ? (sources[0] ?? null) : null;
  const tracks = session.tracks.map((t) =>
    t.devices.some((d) => d.key !== null && ids.has(d.key))
      ? {
          ...t,
          devices: t.devices.map((d) => {
            const back = d.key !== null && ids.has(d.key) ? sourceOf(keyBefore(t.id, d.id)) : null;
            return back === null ? d : { ...d, key: backAs(back) };
          }),
        }
      : t,
  );
  const rows = session.sheet.rows.map((row) => {
    if (!row.sources.some((s) => ids.has(s))) return row;
    const had = before.sheet.rows.find((r) => r.id === row.id)?.sources.filter((s) => sources.includes(s)) ?? sources;
    const back = row.sources.flatMap((s) => (ids.has(s) ? had.map(backAs) : [s]));
    return { ...row, sources: [...new Set(back)] };
  });
  const needed = JSON.stringify(tracks.filter((t) => now.tracks.find((n) => n.id === t.id) !== t));
  const lacks = <T extends { readonly id: string }>(list: readonly T[], of: readonly T[], by = needed) =>
    of.filter((x) => !list.some((y) => y.id === x.id) && by.includes(`"${x.id}"`));
  const instruments = lacks(session.instruments, before.instruments);
  return {
    ...session,
    tracks,
    phrases: [...session.phrases, ...lacks(session.phrases, before.phrases)],
    assets: [...session.assets, ...lacks(session.assets, before.assets, needed + JSON.stringify(instruments))],
    instruments: [...session.instruments, ...instruments],
    sheet: { ...session.sheet, rows },
  };
}
