import { missingAssets } from "../session/supply";
import { declarationOf } from "../devices/catalogue";
import { forgotten } from "../printing/forgotten";
import { isStale } from "../printing/fingerprint";
import { clipSpan, devicesOf } from "../session/clips";
import { tempoMap } from "../time/tempo";
import { straysIn } from "../session/strays";
import type { Session, Track } from "../session/document";
import type { PatchOf } from "../session/records";
import { byId } from "../by-id";
import type { Edit, Step } from "../session/edits";
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
  const step = (label: string, edits: readonly Edit[]): Step => onRows(session, { label, edits: [...edits] });
  const tracksById = byId(session.tracks);
  const inSheet = new Set(rows.flatMap((r) => r.sources.flatMap((s) => [s, ...within(session, s).map((t) => t.id)])));

  if (isOutgrown(session)) findings.push({ id: "outgrown", weight: "know", kind: "outgrown sheet", fix: null });
  if (rows.length === 0)
    findings.push({
      id: "empty",
      weight: "stop",
      kind: "nothing sounds",
      fix: null,
    });
  for (const row of rows) {
    const tracks = row.sources.flatMap((s) => tracksById.get(s) ?? []);
    if (tracks.length > 0 && tracks.every((t) => t.mute || t.parked)) {
      const muted = tracks.filter((t) => t.mute);
      findings.push({
        id: `silent-${row.id}`,
        weight: "look",
        kind: "silent stem",
        stem: row.name,
        why: muted.length > 0 ? "muted" : "parked",
        fix: step(`Leave out ${row.name}`, [{ do: "remove", in: "rows", id: row.id }]),
      });
    }
    if (/^(unnamed|audio|track|untitled)?\s*\d*$/i.test(row.name.trim())) {
      findings.push({
        id: `name-${row.id}`,
        weight: "look",
        kind: "stem without a name",
        stem: row.name,
        fix: null,
      });
    }
  }
  for (const track of deliverable(session)) {
    if (track.mute || inSheet.has(track.id)) continue;
    if (track.kind === "return" && rows.some((r) => r.returns)) continue;
    findings.push({
      id: `left-${track.id}`,
      weight: "look",
      kind: "in no stem",
      track: shownName(track),
      fix: step(`Add ${shownName(track)} to the sheet`, [
        { do: "add", in: "rows", item: { ...rowFor(track, newId()) }, index: rows.length },
      ]),
    });
  }
  for (const track of session.tracks) {
    if (track.parked) continue;
    const absent = track.frozen ? [] : track.devices.filter((d) => d.on && !declarationOf(d.type));
    for (const device of absent) {
      findings.push({
        id: `absent-${device.id}`,
        weight: "look",
        kind: "absent device",
        device: device.type,
        track: shownName(track),
        fix: null,
      });
    }
    const live = track.frozen ? [] : devicesOf(track).filter((d) => d.on && declarationOf(d.type)?.realTime);
    for (const device of live) {
      findings.push({
        id: `live-${device.id}`,
        weight: "stop",
        kind: "real time only",
        device: declarationOf(device.type)?.name ?? device.type,
        track: shownName(track),
        fix: {
          label: `Switch off ${declarationOf(device.type)?.name ?? device.type}`,
          edits: [{ do: "set", in: "devices", track: track.id, id: device.id, patch: { on: false } }],
        },
      });
    }
    if (isStale(session, track)) {
      findings.push({
        id: `stale-${track.id}`,
        weight: "look",
        kind: "stale freeze",
        track: shownName(track),
        fix: unfreezeStep(session, [track.id]),
      });
    }
  }
  const absent = missingAssets(session).map((a) => a.name);
  if (absent.length > 0)
    findings.push({ id: "missing", weight: "stop", kind: "missing files", files: absent, fix: null });
  findings.push(...strays(session));
  findings.push(...preflightSheet(session, last));
  findings.push(...unheard(session));
  const alone = session.tracks.filter((t) => soloed.has(t.id)).map(shownName);
  if (alone.length > 0) findings.push({ id: "solo", weight: "know", kind: "solo", tracks: alone, fix: null });
  for (const gap of coverage(session)) {
    // A track in no stem has a finding of its own, with its fix.
    if (gap.kind === "in no stem") continue;
    const id = `sum-${Object.values(gap).join(" ")}`;
    findings.push({ id, weight: "know", kind: "does not add up", gap, fix: null });
  }
  return findings;
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
