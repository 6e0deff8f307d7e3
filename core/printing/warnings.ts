import { declarationOf } from "../devices/catalogue";
import { clipSpan } from "../session/clips";
import type { Session, Track } from "../session/document";
import type { Edit } from "../session/edits";
import { mixOf } from "../session/routing";
import type { TempoMap } from "../time/tempo";
import type { Frames } from "../units";
import { isStale } from "./fingerprint";
import type { PrintFile, PrintWarning } from "./print";
import type { Sameness } from "./sameness";
import { insideChosen } from "./sameness";
import type { Slip } from "./slip";

const name = (t: Track): string => t.name || "unnamed";

/** What is probably not meant, each with what mends it. */
export function warningsOf(
  session: Session,
  tracks: readonly Track[],
  slip: Slip,
  files: readonly PrintFile[],
  { differs, certain }: Sameness,
  tempo: TempoMap,
): readonly PrintWarning[] {
  const warnings: PrintWarning[] = [];
  for (const t of tracks) {
    if (t.mute && (slip.tap === "channel" || slip.tap === "group"))
      warnings.push({
        kind: "muted",
        track: name(t),
        mend: { edits: [{ do: "set", in: "tracks", id: t.id, patch: { mute: false } }] },
      });
    if (slip.tap !== "clip")
      for (const d of t.devices)
        if (d.on && !declarationOf(d.type))
          warnings.push({
            kind: "absent",
            device: d.type,
            track: name(t),
            mend: {
              edits: [{ do: "set", in: "devices", track: t.id, id: d.id, patch: { on: false } }],
            },
          });
  }
  if (slip.tap === "mix" && mixOf(session).devices.some((d) => d.on))
    warnings.push({
      kind: "mix chain",
      mend: {
        edits: mixOf(session)
          .devices.filter((d) => d.on)
          .map((d): Edit => ({ do: "set", in: "devices", track: mixOf(session).id, id: d.id, patch: { on: false } })),
      },
    });
  if (slip.afterwards === "keep live" && slip.placed === "new track")
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
      tracks: stale.map(name),
      mend: {
        edits: stale.map((t): Edit => ({ do: "set", in: "tracks", id: t.id, patch: { frozen: null } })),
      },
    });
  const inside = slip.together ? null : insideChosen(session, tracks);
  if (inside)
    warnings.push({
      kind: "in both prints",
      track: name(inside.track),
      group: name(inside.group),
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
  if (differs && slip.seam.by === "none") warnings.push({ kind: "differs", reason: differs, certain, mend: null });
  return warnings;
}

/** A gap of so many bars before the last clip looks like a clip that strayed. */
const STRAY_S = 20;

/** The last clip, when a long silence lies before it, and where everything else ends. */
function strayEnd(
  session: Session,
  tracks: readonly Track[],
  tempo: TempoMap,
): { readonly name: string; readonly before: Frames } | null {
  const spans = tracks
    .flatMap((t) => t.clips.map((c) => ({ name: c.name || "A clip", ...clipSpan(c, tempo) })))
    .sort((a, b) => a.from - b.from);
  const last = spans.at(-1);
  const before = Math.max(0, ...spans.slice(0, -1).map((s) => s.to));
  return last && spans.length > 1 && last.from - before > STRAY_S * session.rate ? { name: last.name, before } : null;
}
