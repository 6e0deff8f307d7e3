import { emptySheet } from "../session/build";
import { membersOf, sentOn } from "../session/routing";
import { soundOf } from "../session/sound";
import type { Tap } from "../engine/tap";
import { MIX_AFTER, MIX_BEFORE } from "../engine/tap";
import type { Edit, Step } from "../session/edits";
import type { Session, Sheet, StemRow, Track } from "../session/document";
import { shownName } from "../session/names";

/** Tracks that make sound of their own, and returns that something of them is sent to: what a sheet has to cover. */
export function deliverable(session: Session): readonly Track[] {
  const sounds = (t: Track) => !t.parked && (t.kind === "audio" || t.kind === "instrument") && t.clips.length > 0;
  const sources = session.tracks.filter(
    (t) => sounds(t) || (t.kind === "group" && !t.parked && membersOf(session, t).some(sounds)),
  );
  const sentTo = new Set(
    sentOn(
      session,
      sources,
      (t) => t.sends,
      (t) => !t.parked,
    ),
  );
  return session.tracks.filter((t) => sounds(t) || (t.kind === "return" && sentTo.has(t)));
}

/**
 * The stems of a session. A sheet without edits fills itself: one stem for every track that sounds, and so
 * it follows tracks that come and go. As soon as it has rows of its own, those are it.
 */
export const stemRows = (session: Session): readonly StemRow[] => sheetOf(session).rows;
export const isAutomatic = (session: Session): boolean => session.sheet.rows.length === 0;

/**
 * Whether a sheet that came with a set of stems has become the session's own: its sound was changed since, so the files
 * differ from those that came.
 */
export const isOutgrown = (session: Session): boolean =>
  session.sheet.arrived !== null && session.sheet.rows.length > 0 && session.sheet.arrived !== soundOf(session);

/**
 * The sheet as it is delivered by. One that came with stems takes them from their clips alone, without dither; as soon
 * as the sound is changed it takes what was not chosen otherwise through the whole way, with dither.
 */
export function sheetOf(session: Session): Sheet {
  const { sheet } = session;
  if (isAutomatic(session)) return { ...sheet, rows: fillSheet(session).rows };
  if (!isOutgrown(session)) return sheet;
  const rows = sheet.rows.map((r): StemRow => (r.tap === "clip" ? { ...r, tap: "group", linked: true } : r));
  return { ...sheet, rows, dither: true, arrived: null };
}

/** The session with the rows of its sheet written out: what edits of single rows are made on. */
export const withRows = (session: Session): Session => {
  const sheet = sheetOf(session);
  return sheet === session.sheet ? session : { ...session, sheet };
};

/**
 * A step that was made on written-out rows, for the session itself: the rows are written down first where the sheet
 * still fills itself.
 */
export function onRows(session: Session, step: Step): Step {
  if (isOutgrown(session)) {
    const { rows, dither, arrived } = sheetOf(session);
    const written = rows.map(({ id, tap, linked }): Edit => ({ do: "set", in: "rows", id, patch: { tap, linked } }));
    return { ...step, edits: [{ do: "set sheet", patch: { dither, arrived } }, ...written, ...step.edits] };
  }
  if (!isAutomatic(session) || !step.edits.some((e) => "in" in e && e.in === "rows")) return step;
  return {
    ...step,
    edits: [
      ...stemRows(session).map((row, index): Edit => ({ do: "add", in: "rows", item: { ...row }, index })),
      ...step.edits,
    ],
  };
}

/** Lets a sheet fill itself again; null where it does. */
export function refill(session: Session): Step | null {
  return isAutomatic(session)
    ? null
    : {
        label: "Fill the stem sheet again",
        edits: session.sheet.rows.map((row): Edit => ({ do: "remove", in: "rows", id: row.id })),
      };
}

/** Whether a row is of returns and nothing else. */
export const isOfReturns = (session: Session, row: StemRow): boolean =>
  row.sources.every((id) => session.tracks.find((t) => t.id === id)?.kind === "return");

/** The mix that stems add up to: the one after its chain where all of them went through that. */
export const wholeOf = (rows: readonly StemRow[]): Tap =>
  rows.length > 0 && rows.every((r) => r.tap === "mix") ? MIX_AFTER : MIX_BEFORE;

export const rowFor = (track: Track, id: string): StemRow => ({
  id,
  name: shownName(track),
  sources: [track.id],
  tap: "group",
  returns: false,
  linked: true,
  channels: "as it is",
  ticked: true,
});

/** One stem a track, in track order, through the groups; muted tracks are left out. */
export function fillSheet(session: Session): Sheet {
  return {
    ...emptySheet,
    rows: deliverable(session)
      .filter((t) => !t.mute)
      .map((t) => rowFor(t, `row-${t.id}`.slice(0, 64))),
  };
}
