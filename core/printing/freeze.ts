import type { Tap } from "../engine/tap";
import { contentEnd } from "../engine/source";
import { declarationOf } from "../devices/catalogue";
import { devicesOf, reshapeOf } from "../session/clips";
import type { Asset, Session, Track } from "../session/document";
import type { Edit, Step } from "../session/edits";
import { hoursTooLong } from "../limits";
import type { Planned, Refusal, Why } from "./refusals";
import { trackOf } from "../session/routing";
import { tempoMap } from "../time/tempo";
import type { Frames } from "../units";
import { isStale, sourceFingerprint } from "./fingerprint";
import { shownName } from "../session/names";

/** One track to render for a freeze: after its devices, from the session's zero, with its measured tail. */
export interface FreezeRender {
  readonly track: string;
  readonly tap: Tap;
  readonly to: Frames;
  readonly fingerprint: string;
}

/** A frozen track's new audio. */
export interface FreezePrint {
  readonly track: string;
  readonly asset: Asset;
  readonly fingerprint: string;
}

/** What has to be rendered so that all these tracks are frozen and fresh; tracks that are already need nothing. */
export function planFreeze(session: Session, trackIds: readonly string[]): Planned<readonly FreezeRender[]> {
  const refusals: Refusal[] = [];
  const tempo = tempoMap(session.tempo, session.rate);
  const renders: FreezeRender[] = [];
  for (const id of new Set(trackIds)) {
    const track = session.tracks.find((t) => t.id === id);
    const end = track ? contentEnd(session, { ...track, frozen: null }, tempo) : 0;
    const hours = hoursTooLong(end, session.rate);
    const why = track ? cannotFreeze(track) : ({ kind: "no such track" } as const);
    if (!track || why || hours !== null) {
      refusals.push({ track: track?.name || id, why: why ?? { kind: "too long", hours: hours ?? 0 } });
      continue;
    }
    if (track.frozen && !isStale(session, track)) continue;
    renders.push({
      track: id,
      tap: { kind: "path", sources: [id], at: "devices", returns: false, linked: false },
      to: end,
      fingerprint: sourceFingerprint(session, id),
    });
  }
  return refusals.length > 0 ? { ok: false, refusals } : { ok: true, value: renders };
}

/** Why a track cannot be frozen, or null. */
export function cannotFreeze(track: Track): Why | null {
  if (track.kind !== "audio" && track.kind !== "instrument") return { kind: "only sources freeze" };
  if (track.parked) return { kind: "parked" };
  if (track.clips.length === 0) return { kind: "nothing on the track" };
  const instrument = track.kind === "instrument" ? track.devices[0] : undefined;
  if (instrument && !declarationOf(instrument.type)) return { kind: "instrument absent", instrument: instrument.type };
  const live = devicesOf(track).find((d) => d.on && declarationOf(d.type)?.realTime);
  return live ? { kind: "real time on the way", device: declarationOf(live.type)?.name ?? live.type } : null;
}

/** The session as it has to be rendered for a freeze: the tracks to print are live, others stay as they are. */
export function liveFor(session: Session, trackIds: readonly string[]): Session {
  return { ...session, tracks: session.tracks.map((t) => (trackIds.includes(t.id) ? { ...t, frozen: null } : t)) };
}

/**
 * The session with live sources in place of whatever plays their sound as it is today: fresh frozen tracks, and
 * untouched prints of whole tracks that are parked beside them. At the end of a range audio is cut, while what is live
 * is let go and rings on, so there the live source is what is meant.
 */
export function withLiveSources(session: Session): Session {
  return {
    ...session,
    tracks: session.tracks.map((track) =>
      track.frozen
        ? isStale(session, track)
          ? track
          : { ...track, frozen: null }
        : (liveInPlace(session, track) ?? track),
    ),
  };
}

function liveInPlace(session: Session, track: Track): Track | null {
  const { printOf } = track;
  const source = printOf && session.tracks.find((t) => t.id === printOf.track);
  if (!printOf || !source?.parked || source.frozen || track.parked || track.devices.length > 0) return null;
  const [clip, more] = track.clips;
  const isUntouched =
    clip?.kind === "audio" &&
    !more &&
    clip.start === printOf.start &&
    clip.offset === 0 &&
    clip.gainDb === 0 &&
    clip.fadeIn.frames === 0 &&
    clip.fadeOut.frames === 0 &&
    !clip.reverse &&
    reshapeOf(clip) === null &&
    clip.process.length === 0 &&
    clip.frames === session.assets.find((a) => a.id === clip.asset)?.frames;
  if (!isUntouched || sourceFingerprint(session, source.id) !== printOf.fingerprint) return null;
  return {
    ...track,
    kind: source.kind,
    clips: source.clips,
    devices: source.devices,
    automation: [...track.automation, ...source.automation.filter((a) => a.target === "param")],
  };
}

export function freezeStep(session: Session, prints: readonly FreezePrint[]): Step {
  const known = new Set(session.assets.map((a) => a.id));
  const edits: Edit[] = [];
  let index = session.assets.length;
  for (const { asset, track, fingerprint } of prints) {
    if (!known.has(asset.id)) {
      known.add(asset.id);
      edits.push({ do: "add", in: "assets", item: { ...asset }, index: index++ });
    }
    edits.push({ do: "set", in: "tracks", id: track, patch: { frozen: { asset: asset.id, fingerprint } } });
  }
  return {
    label: `Freeze ${names(
      session,
      prints.map((p) => p.track),
    )}`,
    edits,
  };
}

export function unfreezeStep(session: Session, trackIds: readonly string[]): Step {
  return {
    label: `Unfreeze ${names(session, trackIds)}`,
    edits: trackIds.map((id) => ({ do: "set", in: "tracks", id, patch: { frozen: null } })),
  };
}

/**
 * Makes freezes permanent: each frozen track gets an audio track above it that plays the print through the same fader,
 * pan, sends and output; the source is unfrozen and parked beside it. Keys and stems that pointed at the source follow.
 */
export function commitStep(session: Session, trackIds: readonly string[], newId: () => string): Planned<Step> {
  const edits: Edit[] = [];
  const replaced = new Map<string, string>();
  const order = session.tracks.map((t) => t.id);
  for (const id of trackIds) {
    const track = session.tracks.find((t) => t.id === id);
    const refuse = (kind: "not frozen" | "stale freeze" | "frozen audio gone") =>
      ({ ok: false, refusals: [{ track: track?.name ?? id, why: { kind } }] }) as const;
    if (!track?.frozen) return refuse("not frozen");
    if (isStale(session, track)) return refuse("stale freeze");
    const { frozen } = track;
    const asset = session.assets.find((a) => a.id === frozen.asset);
    if (!asset) return refuse("frozen audio gone");
    const printedId = newId();
    const sendIds = new Map(track.sends.map((s) => [s.id, newId()]));
    const printed: Track = {
      ...track,
      id: printedId,
      kind: "audio",
      devices: [],
      frozen: null,
      printOf: { track: id, fingerprint: frozen.fingerprint, start: 0 },
      sends: track.sends.map((s) => ({ ...s, id: sendIds.get(s.id) ?? newId() })),
      // What moves a device is in the print; what moves the channel goes on.
      automation: track.automation
        .filter((a) => a.target !== "param")
        .map((a) => ({ ...a, id: newId(), of: a.of === null ? null : (sendIds.get(a.of) ?? null) })),
      takes: [],
      clips: [
        {
          kind: "audio",
          id: newId(),
          name: track.name,
          asset: asset.id,
          start: 0,
          offset: 0,
          frames: asset.frames,
          gainDb: 0,
          fadeIn: { frames: 0, shape: "linear" },
          fadeOut: { frames: 0, shape: "linear" },
          crossfade: false,
          layered: false,
          muted: false,
          reverse: false,
          stretch: 1,
          transposeCents: 0,
          timeMarks: [],
          pitchLine: [],
          process: [],
          ringsOn: false,
        },
      ],
    };
    const index = order.indexOf(id);
    order.splice(index, 0, printed.id);
    replaced.set(id, printed.id);
    edits.push(
      { do: "add", in: "tracks", item: { ...printed }, index },
      { do: "set", in: "tracks", id, patch: { frozen: null, parked: true } },
    );
  }
  for (const track of session.tracks) {
    for (const device of track.devices) {
      const key = device.key === null ? undefined : replaced.get(device.key);
      if (key !== undefined) edits.push({ do: "set", in: "devices", track: track.id, id: device.id, patch: { key } });
    }
  }
  for (const row of session.sheet.rows) {
    if (row.sources.some((s) => replaced.has(s))) {
      edits.push({
        do: "set",
        in: "rows",
        id: row.id,
        patch: { sources: row.sources.map((s) => replaced.get(s) ?? s) },
      });
    }
  }
  return { ok: true, value: { label: `Commit ${names(session, trackIds)}`, edits } };
}

function names(session: Session, ids: readonly string[]): string {
  const all = ids.map((id) => shownName(trackOf(session, id)));
  return all.length <= 3 ? all.join(", ") : `${all.length} tracks`;
}
