import { declarationOf } from "../devices/catalogue";
import { clipSpan } from "../session/clips";
import type { Session, Track } from "../session/document";
import type { Edit } from "../session/edits";
import { mixOf, trackOf } from "../session/routing";
import type { TempoMap } from "../time/tempo";
import type { Frames } from "../units";
import { isStale } from "./fingerprint";
import { lostMoves } from "./moves";
import { padDiffers } from "./pads";
import { phraseDiffers } from "./phrase";
import type { Piece } from "./pieces";
import { earlyFrames } from "./pieces";
import type { PrintFile, PrintWarning } from "./print";
import type { Slip } from "./slip";

const nameOf = (t: Track): string => t.name || "unnamed";

/** Why the session cannot sound the same with a print in its source's place; null: it does, to the last bits. */
export function whyDifferent(session: Session, tracks: readonly Track[], slip: Slip, tempo: TempoMap, pieces: readonly Piece[]): string | null {
  const name = nameOf;
  const { of } = slip;
  const [first] = tracks;
  if (of.what === "pad") return slip.depth === "32f" ? (first ? padDiffers(first, of.device, of.pad, of.velocities) : null) : `${slip.depth} bits hold the sound to within their own noise`;
  if (slip.placed === "shelf") return "a print on the shelf is not heard";
  if (slip.placed === "pad") return "on a pad it is heard when it is struck";
  if (slip.afterwards === "keep live") return "the source sounds on, and the print is placed muted beside it";
  if (slip.tap === "mix") return "the print has the mix chain in it and would go through it again: it is placed muted";
  if (slip.depth !== "32f") return `${slip.depth} bits hold the sound to within their own noise`;
  if (slip.moves.length > 0) return "what was ridden in the live pass is in it";
  if (slip.pass === "real time") return "hardware never sounds twice the same";
  if (slip.channels === "mono") return "mono has half of what two channels had";
  if (slip.seam.by !== "none") return "it is a loop: its ends are made for one another";
  if (slip.range.by === "stretch" || slip.range.by === "saved") return "only a stretch is printed; what rings into it and out of it is cut by its edges";
  if (slip.tail === "none" && slip.tap !== "clip") return "the tail is left out";
  if (slip.tap !== "clip" && pieces.some((p) => p.from < earlyFrames(session, p.sources))) return "a filter rings before the first sound, and that stands at the very beginning, where nothing can lie before it";
  const lost = lostMoves(tracks, slip);
  if (lost) return lost;
  for (const t of tracks) if (of.what === "phrase" && keyed(session, t.id).length > 0) return `${name(t)} steers ${keyed(session, t.id).map(name).join(", ")}, which would hear less of it`;
  if (of.what === "phrase") return tracks.map((t) => phraseDiffers(session, t, of.phrase, tempo)).find((why) => why !== null) ?? null;
  const inside = insideChosen(session, tracks);
  if (inside) return slip.together ? `${name(inside.track)} is in ${name(inside.group)} already; parked with it, its sends and keys fall silent` : `${name(inside.track)} runs into ${name(inside.group)}, so its sound is in both prints`;
  for (const t of tracks) {
    const own = pieces.filter((p) => p.sources[0] === t.id);
    const chosen = slip.clips === null || t.clips.every((c) => slip.clips?.includes(c.id));
    if (!slip.together && !chosen && slip.tap !== "clip") return `what is not chosen on ${name(t)} is parked with it`;
    if (!chosen && slip.placed !== "same track") return `what is not chosen on ${name(t)} is parked with it`;
    if (slip.pieces === "each clip" && t.clips.some((c) => c.kind !== "notes" && c.crossfade)) return `crossfades on ${name(t)} need both clips in one piece`;
    if (own.length > 1 && slip.tap !== "clip") {
      const follows = t.devices.find((d) => d.on && declarationOf(d.type) && !declarationOf(d.type)?.linear);
      if (follows) return `pieces of ${name(t)} are printed each by itself, and ${declarationOf(follows.type)?.name ?? "a device"} works on all that sounds at once`;
      if (slip.tap !== "devices") return "pieces are printed each by itself, so a fader or pan that moves would move them apart";
      if (own.some((p, i) => own.some((q, k) => k > i && q.from < p.to))) return `clips on ${name(t)} lie over one another, and what is covered would come to the top`;
    }
    if (!chosen && t.clips.some((c) => c.kind !== "notes" && c.crossfade)) return `crossfades on ${name(t)} need both clips in one piece`;
    if (!chosen && overlaps(t, slip.clips ?? [])) return `clips on ${name(t)} that are not chosen lie over chosen ones`;
    if (slip.tap === "channel" || slip.tap === "group") {
      if (keyed(session, t.id).length > 0) return `${name(t)} steers ${keyed(session, t.id).map(name).join(", ")}: after its fader it steers with another level`;
    }
    if (slip.tap === "channel" && !slip.returns && t.sends.some((s) => s.position === "before fader")) return `a send of ${name(t)} leaves before its fader, which is in the print`;
    if (slip.tap === "group" && !slip.returns && (sendsFrom(t) || groupsAbove(session, t).some(sendsFrom))) return "sends along the way are not in the print: print it with the returns";
    if (slip.tap === "group" && groupsAbove(session, t).some((g) => g.devices.some((d) => d.on && declarationOf(d.type) && !declarationOf(d.type)?.linear))) return `${groupsAbove(session, t).map(name).join(", ")} works on all that runs through it: a share by itself comes out otherwise`;
    if (slip.tap === "group" && groupsAbove(session, t).some((g) => keyed(session, g.id).length > 0)) return "a group on the way steers another track, which would hear less of it";
    if (slip.returns && slip.tap === "channel" && reached(session, t).some((r) => r.output !== t.output)) return "what its sends produce runs on with the print, another way than the returns themselves";
    if (slip.returns && reached(session, t).some((r) => r.devices.some((d) => d.on && declarationOf(d.type) && !declarationOf(d.type)?.linear))) return "a return works on all that is sent to it: a share by itself comes out otherwise";
  }
  if (slip.together && (slip.tap === "clip" || slip.tap === "devices")) return "faders and pans of the tracks come after the tap and are not in one print of all";
  if (slip.together && slip.tap === "channel" && new Set(tracks.map((t) => t.output)).size > 1) return "the tracks run into different groups, the print into one";
  if (slip.together && slip.tap === "channel" && !slip.returns && tracks.some(sendsFrom)) return "sends of the tracks are not in the print: print it with the returns";
  return null;
}

/** Whether what a track's sends produce, and nothing else, would go missing with the track. */
const sendsFrom = (track: Track) => track.sends.length > 0;

/** Groups that a track's sound passes on its way to the mix. */
export function groupsAbove(session: Session, track: Track): readonly Track[] {
  const above: Track[] = [];
  for (let id = track.output; id !== null; id = above.at(-1)?.output ?? null) {
    const next = trackOf(session, id);
    if (next.kind === "mix") break;
    above.push(next);
  }
  return above;
}

/** A chosen track whose sound is in a chosen group's already. */
function insideChosen(session: Session, tracks: readonly Track[]): { readonly track: Track; readonly group: Track } | null {
  for (const track of tracks) {
    const group = groupsAbove(session, track).find((g) => tracks.includes(g));
    if (group) return { track, group };
  }
  return null;
}

/** Tracks with a device that a track steers. */
const keyed = (session: Session, id: string): readonly Track[] => session.tracks.filter((t) => !t.parked && !t.frozen && t.devices.some((d) => d.on && d.key === id));

/** Returns that a track's sends reach, be it through other returns, and through the groups on its way. */
function reached(session: Session, track: Track): readonly Track[] {
  const found = new Map<string, Track>();
  const follow = (t: Track) => {
    for (const send of t.sends) {
      const to = trackOf(session, send.to);
      if (found.has(to.id)) continue;
      found.set(to.id, to);
      follow(to);
    }
  };
  for (const t of [track, ...groupsAbove(session, track)]) follow(t);
  return [...found.values()];
}

const overlaps = (track: Track, chosen: readonly string[]): boolean =>
  track.clips.some((a) => a.kind !== "notes" && !chosen.includes(a.id) && track.clips.some((b) => b.kind !== "notes" && chosen.includes(b.id) && a.start < b.start + b.frames && a.start + a.frames > b.start));

/** What is probably not meant, each with what mends it. */
export function warningsOf(session: Session, tracks: readonly Track[], slip: Slip, files: readonly PrintFile[], differs: string | null, tempo: TempoMap): readonly PrintWarning[] {
  const warnings: PrintWarning[] = [];
  const name = nameOf;
  for (const t of tracks) {
    if (t.mute && (slip.tap === "channel" || slip.tap === "group")) warnings.push({ what: `${name(t)} is muted: its print would be silent.`, fix: { label: "Open its valve", edits: [{ do: "set", in: "tracks", id: t.id, patch: { mute: false } }] } });
    if (slip.tap !== "clip") for (const d of t.devices) if (d.on && !declarationOf(d.type)) warnings.push({ what: `${d.type} on ${name(t)} is not installed: the print will not have it.`, fix: { label: "Switch it off", edits: [{ do: "set", in: "devices", track: t.id, id: d.id, patch: { on: false } }] } });
  }
  if (slip.tap === "mix" && mixOf(session).devices.some((d) => d.on)) warnings.push({ what: "The mix chain is printed into it.", fix: { label: "Pass it by", edits: mixOf(session).devices.filter((d) => d.on).map((d): Edit => ({ do: "set", in: "devices", track: mixOf(session).id, id: d.id, patch: { on: false } })) } });
  if (slip.afterwards === "keep live" && slip.placed === "new track") warnings.push({ what: "Both would sound: the print is placed muted.", fix: { label: "Park the source instead", slip: { afterwards: "park" } } });
  const parks = slip.afterwards === "park" || slip.afterwards === "park and hide";
  if ((slip.range.by === "stretch" || slip.range.by === "saved") && parks && slip.placed === "new track") warnings.push({ what: "Parking the source silences the rest of it, too.", fix: { label: "Clear only the stretch", slip: { afterwards: "replace" } } });
  const through = new Set(slip.tap === "group" || slip.tap === "mix" || tracks.some((t) => t.kind === "group" || t.kind === "mix") ? session.tracks.map((t) => t.id) : tracks.flatMap((t) => t.devices.flatMap((d) => d.key ?? [])));
  const stale = session.tracks.filter((t) => t.frozen && !t.parked && through.has(t.id) && !slip.tracks.includes(t.id) && isStale(session, t));
  if (stale.length > 0) warnings.push({ what: `${stale.map(name).join(", ")} ${stale.length === 1 ? "plays a stale freeze, which is" : "play stale freezes, which are"} what would be printed.`, fix: { label: "Print the live source", edits: stale.map((t): Edit => ({ do: "set", in: "tracks", id: t.id, patch: { frozen: null } })) } });
  const inside = slip.together ? null : insideChosen(session, tracks);
  if (inside) warnings.push({ what: `${name(inside.track)} runs into ${name(inside.group)}: its sound would be in both prints.`, fix: { label: `Leave ${name(inside.track)} out`, slip: { tracks: slip.tracks.filter((id) => id !== inside.track.id) } } });
  const stray = strayEnd(session, tracks, tempo);
  if (stray && slip.range.by !== "stretch" && slip.range.by !== "saved") {
    warnings.push({ what: `${stray.name} lies far behind everything else and makes the print as long as it is.`, fix: { label: "End before it", slip: { range: { by: "stretch", from: slip.range.by === "zero" ? 0 : (files[0]?.from ?? 0), to: stray.before }, tail: "measured" } } });
  }
  if (differs && slip.afterwards !== "keep live" && slip.placed !== "shelf" && slip.placed !== "pad" && slip.tap !== "mix" && slip.seam.by === "none") warnings.push({ what: `It will not sound exactly the same: ${differs}.`, fix: null });
  return warnings;
}

/** A gap of so many bars before the last clip looks like a clip that strayed. */
const STRAY_S = 20;

/** The last clip, when a long silence lies before it, and where everything else ends. */
function strayEnd(session: Session, tracks: readonly Track[], tempo: TempoMap): { readonly name: string; readonly before: Frames } | null {
  const spans = tracks.flatMap((t) => t.clips.map((c) => ({ name: c.name || "A clip", ...clipSpan(c, tempo) }))).sort((a, b) => a.from - b.from);
  const last = spans.at(-1);
  const before = Math.max(0, ...spans.slice(0, -1).map((s) => s.to));
  return last && spans.length > 1 && last.from - before > STRAY_S * session.rate ? { name: last.name, before } : null;
}
