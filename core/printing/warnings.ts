import { declarationOf } from "../devices/catalogue";
import { straysIn } from "../session/strays";
import { clipSpan } from "../session/clips";
import type { Session, Track } from "../session/document";
import type { Edit } from "../session/edits";
import { membersOf, mixOf } from "../session/routing";
import type { TempoMap } from "../time/tempo";
import type { Frames } from "../units";
import { isStale } from "./fingerprint";
import type { Mend, PrintFile, PrintWarning } from "./print";
import type { Reason } from "./reasons";
import type { Sameness } from "./reasons";
import { insideChosen } from "./sameness";
import type { Asked } from "./members/member";
import { forgotten } from "./forgotten";
import { balancedTap, parted } from "./slip";
import { shownName } from "../session/names";

/** What is probably not meant, each with what mends it. */
export function warningsOf(
  { session, tracks, slip, tempo, stretch }: Asked,
  files: readonly PrintFile[],
  { differs, certain }: Sameness,
): readonly PrintWarning[] {
  const warnings: PrintWarning[] = [];
  for (const t of tracks) {
    if (t.mute && t.kind !== "mix" && (slip.tap === "channel" || slip.tap === "group" || slip.tap === "mix"))
      warnings.push({
        kind: "muted",
        track: shownName(t),
        mend: { edits: [{ do: "set", in: "tracks", id: t.id, patch: { mute: false } }] },
      });
    for (const d of parted(t, slip).baked)
      if (d.on && !declarationOf(d.type))
        warnings.push({
          kind: "absent",
          device: d.type,
          track: shownName(t),
          mend: {
            edits: [{ do: "set", in: "devices", track: t.id, id: d.id, patch: { on: false } }],
          },
        });
  }
  const mix = mixOf(session);
  const ofMix = tracks.some((t) => t.kind === "mix");
  if (ofMix && parted(mix, slip).baked.some((d) => d.on))
    warnings.push({ kind: "mix chain", mend: { slip: { before: mix.devices[0]?.id ?? null } } });
  if (slip.tap === "mix" && !ofMix && slip.placed === "new track") warnings.push({ kind: "passes twice", mend: null });
  if (ofMix || tracks.some((t) => t.kind === "group")) warnings.push(...restingBelow(session, tracks));
  if (slip.afterwards === "keep live" && slip.placed === "new track" && slip.tap !== "mix")
    warnings.push({
      kind: "both would sound",
      mend: { slip: { afterwards: "park" } },
    });
  const parks = slip.afterwards === "park" || slip.afterwards === "park and hide";
  if ((slip.range.by === "stretch" || slip.range.by === "saved") && parks && slip.placed === "new track")
    warnings.push({
      kind: "parks the rest",
      mend: { slip: { afterwards: "replace" } },
    });
  const through = new Set(
    slip.tap === "group" || slip.tap === "mix" || tracks.some((t) => t.kind === "group" || t.kind === "mix")
      ? session.tracks.map((t) => t.id)
      : tracks.flatMap((t) => t.devices.flatMap((d) => d.key ?? [])),
  );
  const stale = session.tracks.filter(
    (t) => t.frozen && !t.parked && through.has(t.id) && !slip.tracks.includes(t.id) && isStale(session, t),
  );
  if (stale.length > 0)
    warnings.push({
      kind: "stale freezes",
      tracks: stale.map(shownName),
      mend: {
        edits: stale.map((t): Edit => ({ do: "set", in: "tracks", id: t.id, patch: { frozen: null } })),
      },
    });
  const inside = slip.together ? null : insideChosen(session, tracks);
  if (inside)
    warnings.push({
      kind: "in both prints",
      track: shownName(inside.track),
      group: shownName(inside.group),
      mend: {
        slip: { tracks: slip.tracks.filter((id) => id !== inside.track.id) },
      },
    });
  const stray = strayEnd(session, tracks, tempo);
  if (stray && slip.range.by !== "stretch" && slip.range.by !== "saved") {
    warnings.push({
      kind: "stray",
      clip: stray.name,
      mend: {
        slip: {
          range: { by: "stretch", from: slip.range.by === "zero" ? 0 : (files[0]?.from ?? 0), to: stray.before },
          tail: "measured",
        },
      },
    });
  }
  const without = stretch ? tracks.filter((t) => !files.some((f) => f.sources.includes(t.id))) : [];
  if (without.length > 0) warnings.push({ kind: "nothing there", tracks: without.map(shownName), mend: null });
  if (differs && slip.seam.by === "none")
    warnings.push({ kind: "differs", reason: differs, certain, mend: mendOf(differs, session, tracks) });
  return warnings;
}

/** Another slip by which the session does sound the same; null: there is none. */
function mendOf({ kind }: Reason, session: Session, tracks: readonly Track[]): Mend | null {
  switch (kind) {
    case "faders after the tap":
      return { slip: { before: null, ...balancedTap(session, tracks) } };
    case "different groups":
      return { slip: { before: null, tap: "group" } };
    case "sends of the tracks":
    case "sends along the way":
      return { slip: { returns: true } };
    case "no tail":
      return { slip: { tail: "measured" } };
    default:
      return null;
  }
}

/**
 * Tracks that run into what is printed and are not heard in it: muted, or resting without a print in their place.
 */
function restingBelow(session: Session, tracks: readonly Track[]): readonly PrintWarning[] {
  const into = new Set(tracks.flatMap((t) => (t.kind === "mix" ? session.tracks : membersOf(session, t))));
  const inside = session.tracks.filter(
    (t) => into.has(t) && t.kind !== "mix" && (t.kind !== "audio" || t.clips.length > 0),
  );
  const muted = inside.filter((t) => t.mute && !t.parked);
  const parked = forgotten(session).filter((t) => inside.includes(t));
  return [
    ...(muted.length > 0
      ? [
          {
            kind: "muted inside",
            tracks: muted.map(shownName),
            mend: { edits: muted.map((t): Edit => ({ do: "set", in: "tracks", id: t.id, patch: { mute: false } })) },
          } as const,
        ]
      : []),
    ...(parked.length > 0
      ? [
          {
            kind: "parked inside",
            tracks: parked.map(shownName),
            mend: { edits: parked.map((t): Edit => ({ do: "set", in: "tracks", id: t.id, patch: { parked: false } })) },
          } as const,
        ]
      : []),
  ];
}

/** The first clip that stands far behind everything else, and where that ends. */
function strayEnd(
  session: Session,
  tracks: readonly Track[],
  tempo: TempoMap,
): { readonly name: string; readonly before: Frames } | null {
  const spans = tracks.flatMap((t) => t.clips.map((c) => ({ name: c.name || "A clip", ...clipSpan(c, tempo) })));
  const found = straysIn(spans, session.rate, "tracks");
  return found ? { name: found.strays[0]?.name ?? "A clip", before: found.before } : null;
}
