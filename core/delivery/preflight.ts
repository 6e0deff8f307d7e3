import { missingAssets } from "../session/supply";
import { declarationOf } from "../devices/catalogue";
import { forgotten } from "../printing/forgotten";
import { isStale } from "../printing/fingerprint";
import { clipSpan, devicesOf } from "../session/clips";
import { tempoMap } from "../time/tempo";
import { straysIn } from "../session/strays";
import type { Session, StemRow, Track } from "../session/document";
import type { PatchOf } from "../session/records";
import { byId } from "../by-id";
import type { Edit } from "../session/edits";
import { within } from "../session/routing";
import { unfreezeStep } from "../printing/freeze";
import type { LastMeasured } from "./preflight-sheet";
import { preflightSheet } from "./preflight-sheet";
import { coverage } from "./coverage";
import type { Finding } from "./finding";
import { deliverable, isOutgrown, onRows, rowFor, stemRows } from "./sheet";
import { shownName } from "../session/names";

/** What is known beside the session: who is heard alone at the moment, and what the last export's files were like. */
export interface Beside {
  readonly soloed?: ReadonlySet<string>;
  readonly last?: LastMeasured;
}

/** Checks a session's sheet without rendering. `newId` makes the id of a row a fix would add. */
export function preflight(
  session: Session,
  newId: () => string,
  { soloed = new Set(), last = new Map() }: Beside = {},
): readonly Finding[] {
  const findings: Finding[] = [];
  const rows = stemRows(session);
  const inSheet = new Set(rows.flatMap((r) => r.sources.flatMap((s) => [s, ...within(session, s).map((t) => t.id)])));

  if (isOutgrown(session)) findings.push({ id: "outgrown", weight: "know", kind: "outgrown sheet", fix: null });
  if (rows.length === 0)
    findings.push({
      id: "empty",
      weight: "stop",
      kind: "nothing sounds",
      fix: null,
    });
  findings.push(...silent(session, rows));
  const nameless = rows.filter((r) => /^(unnamed|audio|track|untitled)?\s*\d*$/i.test(r.name.trim()));
  if (nameless.length > 0)
    findings.push({
      id: "nameless",
      weight: "look",
      kind: "stem without a name",
      stems: nameless.map((r) => r.name),
      fix: null,
    });
  const left = deliverable(session).filter(
    (t) => !t.mute && !inSheet.has(t.id) && !(t.kind === "return" && rows.some((r) => r.returns)),
  );
  if (left.length > 0)
    findings.push({
      id: "left",
      weight: "look",
      kind: "in no stem",
      tracks: left.map(shownName),
      fix: onRows(session, {
        label: left.length === 1 ? `Add ${shownName(left[0] as Track)} to the sheet` : "Add tracks to the sheet",
        edits: left.map((track, i): Edit => ({
          do: "add",
          in: "rows",
          item: rowFor(track, newId()),
          index: rows.length + i,
        })),
      }),
    });
  findings.push(...devices(session));
  const stale = session.tracks.filter((t) => !t.parked && isStale(session, t));
  if (stale.length > 0)
    findings.push({
      id: "stale",
      weight: "look",
      kind: "stale freeze",
      tracks: stale.map(shownName),
      fix: unfreezeStep(
        session,
        stale.map((t) => t.id),
      ),
    });
  const absent = missingAssets(session).map((a) => a.name);
  if (absent.length > 0)
    findings.push({ id: "missing", weight: "stop", kind: "missing files", files: absent, fix: null });
  findings.push(...strays(session));
  findings.push(...preflightSheet(session, last));
  findings.push(...unheard(session));
  const alone = session.tracks.filter((t) => soloed.has(t.id)).map(shownName);
  if (alone.length > 0) findings.push({ id: "solo", weight: "know", kind: "solo", tracks: alone, fix: null });
  // A track in no stem has a finding of its own, with its fix.
  const gaps = coverage(session).filter((g) => g.kind !== "in no stem");
  if (gaps.length > 0) findings.push({ id: "sum", weight: "know", kind: "does not add up", gaps, fix: null });
  return findings;
}

/** Stems that hold nothing because all of their tracks are muted or parked. */
function silent(session: Session, rows: readonly StemRow[]): readonly Finding[] {
  const tracksById = byId(session.tracks);
  const whyOf = (row: StemRow) => {
    const tracks = row.sources.flatMap((s) => tracksById.get(s) ?? []);
    if (tracks.length === 0 || !tracks.every((t) => t.mute || t.parked)) return null;
    return tracks.some((t) => t.mute) ? "muted" : "parked";
  };
  return (["muted", "parked"] as const).flatMap((why): readonly Finding[] => {
    const of = rows.filter((r) => whyOf(r) === why);
    if (of.length === 0) return [];
    const label = of.length === 1 ? `Leave out ${of[0]?.name ?? ""}` : "Leave out silent stems";
    const edits = of.map(({ id }): Edit => ({ do: "remove", in: "rows", id }));
    const stems = of.map((r) => r.name);
    return [
      { id: `silent-${why}`, weight: "look", kind: "silent stem", stems, why, fix: onRows(session, { label, edits }) },
    ];
  });
}

/** Devices that are not here, and those that cannot work ahead of real time; one finding for each type of device. */
function devices(session: Session): readonly Finding[] {
  const found = session.tracks
    .filter((t) => !t.parked && !t.frozen)
    .flatMap((track) => [
      ...track.devices.filter((d) => d.on && !declarationOf(d.type)).map((device) => ({ absent: true, track, device })),
      ...devicesOf(track)
        .filter((d) => d.on && declarationOf(d.type)?.realTime)
        .map((device) => ({ absent: false, track, device })),
    ]);
  const types = new Set(found.map((f) => f.device.type));
  return [...types].map((type): Finding => {
    const of = found.filter((f) => f.device.type === type);
    const name = declarationOf(type)?.name ?? type;
    const tracks = [...new Set(of.map((f) => shownName(f.track)))];
    if (of[0]?.absent)
      return { id: `absent-${type}`, weight: "look", kind: "absent device", device: name, tracks, fix: null };
    const edits = of.map(({ track, device }): Edit => ({
      do: "set",
      in: "devices",
      track: track.id,
      id: device.id,
      patch: { on: false },
    }));
    return {
      id: `live-${type}`,
      weight: "stop",
      kind: "real time only",
      device: name,
      tracks,
      fix: { label: `Switch off ${name}`, edits },
    };
  });
}

/** Tracks that would sound if they were not muted, or did not rest without a print in their place. */
function unheard(session: Session): readonly Finding[] {
  const sounding = session.tracks.filter((t) => (t.kind === "audio" || t.kind === "instrument") && t.clips.length > 0);
  const found = (kind: "muted" | "parked", tracks: readonly Track[], open: PatchOf<"tracks">): readonly Finding[] =>
    tracks.length === 0
      ? []
      : [
          {
            id: `${kind}-tracks`,
            weight: "know",
            kind,
            tracks: tracks.map((t) => shownName(t)),
            fix: {
              label: kind === "muted" ? "Unmute them" : "Unpark",
              edits: tracks.map((t): Edit => ({ do: "set", in: "tracks", id: t.id, patch: open })),
            },
          },
        ];
  return [
    ...found(
      "muted",
      sounding.filter((t) => t.mute && !t.parked),
      { mute: false },
    ),
    ...found("parked", forgotten(session), { parked: false }),
  ];
}

/** Clips that stand alone far behind everything else and make every stem longer. */
function strays(session: Session): readonly Finding[] {
  if (session.sheet.to !== null) return [];
  const tempo = tempoMap(session.tempo, session.rate);
  const clips = session.tracks
    .filter((t) => !t.parked && !t.mute && !t.frozen)
    .flatMap((track) => track.clips.map((clip) => ({ track, clip, ...clipSpan(clip, tempo) })));
  const found = straysIn(clips, session.rate, "session");
  const first = found?.strays[0];
  if (!found || !first) return [];
  const { strays: lost, before } = found;
  const end = Math.max(...lost.map((l) => l.to));
  const name = shownName(first.track);
  return [
    {
      id: `stray-${first.clip.id}`,
      weight: "look",
      kind: "stray clips",
      clips: lost.length,
      track: name,
      atS: first.from / session.rate,
      gapS: (first.from - before) / session.rate,
      longerS: (end - before) / session.rate,
      fix: {
        label: `Remove ${lost.length === 1 ? "a stray clip" : "stray clips"} from ${name}`,
        edits: lost.map(({ track, clip }) => ({ do: "remove", in: "clips", track: track.id, id: clip.id })),
      },
    },
  ];
}
