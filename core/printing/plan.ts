import { declarationOf } from "../devices/catalogue";
import { completeParams } from "../devices/device";
import { MIX_AFTER } from "../engine/tap";
import type { Tap } from "../engine/tap";
import { contentEnd } from "../engine/source";
import { clipSpan } from "../session/clips";
import type { Asset, Clip, Session, Track } from "../session/document";
import type { Edit, Step } from "../session/edits";
import { makeAudioClip, makeTrack } from "../session/build";
import { cutAround } from "../session/clip-edits";
import type { Checked, Problem } from "../session/problem";
import { mixOf, trackOf } from "../session/routing";
import type { TempoMap } from "../time/tempo";
import { tempoMap } from "../time/tempo";
import type { Frames } from "../units";
import { fingerprints } from "./fingerprint";
import type { PrintTap, Slip } from "./slip";

/** One file of a print. All of a plan's files come out of one pass over `PrintPlan.session`. */
export interface PrintFile {
  readonly name: string;
  /** Tracks whose sound is in it; one, unless they are printed together. */
  readonly sources: readonly string[];
  readonly tap: Tap;
  readonly from: Frames;
  /** Where its content ends and its tail may follow. */
  readonly to: Frames;
  readonly fingerprint: string;
}

export interface PrintPlan {
  readonly slip: Slip;
  /** The session as it is rendered: sources live, and a copy of a track for each piece that sounds alone. */
  readonly session: Session;
  readonly files: readonly PrintFile[];
  readonly tail: "measured" | "none";
  /** Where a stretch ends inside the session. */
  readonly endAt: Frames | null;
  /** In words: what is in the print for good, and what goes on living on its new track. */
  readonly baked: readonly string[];
  readonly live: readonly string[];
  /** Why the session cannot sound the same with the print in the source's place; null: it does. */
  readonly differs: string | null;
  readonly warnings: readonly PrintWarning[];
}

/** Something that is probably not meant, and what mends it: another slip, or edits of the session. */
export interface PrintWarning {
  readonly what: string;
  readonly fix: { readonly label: string; readonly slip?: Partial<Slip>; readonly edits?: readonly Edit[] } | null;
}

/** A gap of so many bars before the last clip looks like a clip that strayed. */
const STRAY_S = 20;

/** Decides everything about a print, or says why it cannot be made. Pure: nothing is rendered. */
export function planPrint(session: Session, slip: Slip): Checked<PrintPlan> {
  const tempo = tempoMap(session.tempo, session.rate);
  const problems: Problem[] = [];
  const tracks = slip.tracks.flatMap((id) => session.tracks.find((t) => t.id === id) ?? []);
  const say = (track: Track | null, what: string) => void problems.push({ where: track ? track.name || "unnamed" : "slip", what });
  if (tracks.length < slip.tracks.length) say(null, "a track of the slip is not in the session any more");
  for (const track of tracks) {
    const reason = cannotPrint(session, track, slip);
    if (reason) say(track, reason);
  }
  if (slip.placed === "same track" && slip.tap !== "clip") say(null, "on its own track the print would go through the devices a second time: print it at the clips, or on a new track");
  if (slip.placed === "same track" && slip.together) say(null, "several tracks printed together have no one track of their own");
  if (slip.placed === "same track" && slip.afterwards !== "replace") say(null, "on the same track a print takes the place of its clips: choose to replace them");
  const stretch = stretchOf(session, slip, tempo);
  if (stretch && stretch.to <= stretch.from) say(null, "the stretch ends before it begins");
  if (problems.length > 0) return { ok: false, problems };

  const pieces = slip.together ? [together(session, tracks, slip, tempo)] : tracks.flatMap((track) => piecesOf(session, track, slip, tempo));
  const files: PrintFile[] = [];
  const copies: { readonly after: string; readonly track: Track }[] = [];
  pieces.forEach((piece, i) => {
    const early = slip.tap === "clip" ? 0 : earlyFrames(session, piece.sources);
    const from = stretch ? Math.max(stretch.from, piece.own ? piece.from : 0) : slip.range.by === "own" || piece.own ? Math.max(0, piece.from - early) : 0;
    const to = stretch ? Math.min(stretch.to, piece.own ? piece.to : Infinity) : piece.to;
    if (to <= from || (stretch && (piece.to <= stretch.from || piece.from >= stretch.to))) return;
    const copy = piece.alone && { ...piece.alone, id: `piece-${i}` };
    if (copy) copies.push({ after: piece.alone?.id ?? "", track: copy });
    const tap = tapOf(slip, copy ? [copy.id] : piece.sources);
    files.push({ name: nameOf(session, slip, piece, pieces), sources: piece.sources, tap, from: stretch && !piece.own ? stretch.from : from, to, fingerprint: "" });
  });
  if (files.length === 0) return { ok: false, problems: [{ where: "slip", what: stretch ? "there is nothing in the stretch" : "there is nothing to print" }] };
  const live: Session = { ...session, tracks: session.tracks.flatMap((t) => [slip.tracks.includes(t.id) ? { ...t, frozen: null } : t, ...copies.filter((c) => c.after === t.id).map((c) => ({ ...c.track, frozen: null }))]) };
  const endAt = stretch && slip.tail === "measured" ? stretch.to : null;
  const prints = fingerprints(live, files.map((f) => f.tap));
  const differs = whyDifferent(session, tracks, slip, stretch !== null, pieces);
  return {
    ok: true,
    value: {
      slip, session: live, tail: slip.tail, endAt, differs,
      files: files.map((f, i) => ({ ...f, fingerprint: prints[i] ?? "" })),
      baked: bakedIn(session, tracks, slip), live: staysLive(session, tracks, slip),
      warnings: warningsOf(session, tracks, slip, files, differs, tempo),
    },
  };
}

function cannotPrint(session: Session, track: Track, slip: Slip): string | null {
  if (track.parked) return "the track is parked: unpark it first";
  const sums = track.kind === "group" || track.kind === "return" || track.kind === "mix";
  if (track.kind === "mix" && slip.tap !== "mix") return "the mix is printed at its end";
  if (track.kind !== "mix" && slip.tap === "mix") return "only the mix is printed at the end of the mix";
  if (slip.tap === "clip" && track.kind === "instrument") return "notes are no sound before their instrument: print it after its devices";
  if (slip.tap === "clip" && sums) return "there are no clips on it";
  if (!sums && track.clips.length === 0) return "there is nothing on the track";
  if (slip.tap === "clip") return null;
  const instrument = track.kind === "instrument" ? track.devices[0] : undefined;
  if (instrument && !declarationOf(instrument.type)) return `its instrument "${instrument.type}" is not installed here: the print would be silent`;
  const upstream = sums ? session.tracks.filter((t) => !t.parked && !t.frozen) : [track];
  for (const t of upstream) for (const d of t.devices) if (d.on && declarationOf(d.type)?.realTime) return `"${declarationOf(d.type)?.name ?? d.type}" on ${t.name || "a track"} works in real time only, so it cannot be rendered ahead`;
  return null;
}

function stretchOf(session: Session, { range }: Slip, tempo: TempoMap): { readonly from: Frames; readonly to: Frames } | null {
  if (range.by === "stretch") return range;
  if (range.by !== "saved") return null;
  const saved = session.ranges.find((r) => r.id === range.range);
  return saved ? { from: tempo.toFrames(saved.from), to: tempo.toFrames(saved.to) } : { from: 0, to: 0 };
}

/** A part of the sources that becomes one file. */
interface Piece {
  readonly sources: readonly string[];
  readonly from: Frames;
  readonly to: Frames;
  /** The track with only the clips of this piece, where it sounds by itself; null: as the session has it. */
  readonly alone: Track | null;
  /** It has a place of its own, rather than the whole track's. */
  readonly own: boolean;
}

/** First and last frame of what is placed on a track; of a group, return or the mix, of all that is anywhere. */
function extent(session: Session, track: Track, tempo: TempoMap): { readonly from: Frames; readonly to: Frames } {
  const sums = track.kind === "group" || track.kind === "return" || track.kind === "mix";
  const clips = (sums ? session.tracks.filter((t) => !t.parked) : [track]).flatMap((t) => t.clips.map((c) => clipSpan(c, tempo)));
  const to = sums ? Math.max(0, ...session.tracks.filter((t) => !t.parked).map((t) => contentEnd(session, t, tempo))) : Math.max(0, ...clips.map((c) => c.to));
  return { from: clips.length === 0 ? 0 : Math.min(...clips.map((c) => c.from)), to };
}

function piecesOf(session: Session, track: Track, slip: Slip, tempo: TempoMap): readonly Piece[] {
  const chosen = slip.clips === null ? track.clips : track.clips.filter((c) => slip.clips?.includes(c.id));
  const all = chosen.length === track.clips.length;
  const spans = chosen.map((clip) => ({ clip, ...clipSpan(clip, tempo) })).sort((a, b) => a.from - b.from);
  const whole = (clips: readonly Clip[]): Track | null => (all && slip.pieces === "one piece" ? null : { ...track, clips, takes: [] });
  if (slip.pieces === "one piece") {
    const { from, to } = all ? extent(session, track, tempo) : { from: spans[0]?.from ?? 0, to: Math.max(0, ...spans.map((s) => s.to)) };
    return [{ sources: [track.id], from, to, alone: whole(chosen), own: !all }];
  }
  const runs: { from: Frames; to: Frames; clips: Clip[] }[] = [];
  for (const { clip, from, to } of spans) {
    const last = runs.at(-1);
    if (slip.pieces === "each run" && last && from <= last.to) {
      last.clips.push(clip);
      last.to = Math.max(last.to, to);
    } else runs.push({ from, to, clips: [clip] });
  }
  return runs.map((r): Piece => ({ sources: [track.id], from: r.from, to: r.to, alone: whole(r.clips), own: true }));
}

/** How long before a sound what passes linear-phase filters may begin: their rings stand on both sides of it. Lookahead lets nothing out early. */
function earlyFrames(session: Session, sources: readonly string[]): Frames {
  const of = (t: Track): Frames => t.devices.reduce((sum, d) => {
    const declaration = d.on ? declarationOf(d.type) : undefined;
    return sum + (declaration && !declaration.dynamics ? declaration.latency(completeParams(declaration, d.params), session.rate) : 0);
  }, 0);
  const upstream = sources.some((id) => !["audio", "instrument"].includes(trackOf(session, id).kind));
  return upstream ? session.tracks.reduce((sum, t) => sum + of(t), 0) : Math.max(0, ...sources.map((id) => of(trackOf(session, id))));
}

function together(session: Session, tracks: readonly Track[], slip: Slip, tempo: TempoMap): Piece {
  const ends = tracks.map((t) => extent(session, t, tempo));
  return { sources: slip.tracks, from: Math.min(...ends.map((e) => e.from)), to: Math.max(...ends.map((e) => e.to)), alone: null, own: false };
}

function tapOf(slip: Slip, sources: readonly string[]): Tap {
  return slip.tap === "mix" ? MIX_AFTER : { kind: "path", sources, at: slip.tap, returns: slip.returns, linked: false };
}

const TAP_WORDS: Record<PrintTap, string> = { clip: "clips", devices: "devices", channel: "channel", group: "groups", mix: "mix" };

function nameOf(session: Session, slip: Slip, piece: Piece, pieces: readonly Piece[]): string {
  const names = piece.sources.map((id) => trackOf(session, id).name || "unnamed");
  const track = names.length <= 2 ? names.join(" and ") : `${names[0] ?? ""} and ${names.length - 1} more`;
  const mates = pieces.filter((p) => p.sources[0] === piece.sources[0]);
  const base = slip.name.replaceAll("{track}", track).replaceAll("{tap}", TAP_WORDS[slip.tap]).trim() || `${track} print`;
  return (mates.length > 1 ? `${base} ${mates.indexOf(piece) + 1}` : base).slice(0, 200);
}

/** Whether what a track's sends produce, and nothing else, would go missing with the track. */
const sendsFrom = (track: Track) => track.sends.length > 0;

/** Groups that a track's sound passes on its way to the mix. */
function groupsAbove(session: Session, track: Track): readonly Track[] {
  const above: Track[] = [];
  for (let id = track.output; id !== null; id = above.at(-1)?.output ?? null) {
    const next = trackOf(session, id);
    if (next.kind === "mix") break;
    above.push(next);
  }
  return above;
}

function whyDifferent(session: Session, tracks: readonly Track[], slip: Slip, stretch: boolean, pieces: readonly Piece[]): string | null {
  const name = (t: Track) => t.name || "unnamed";
  if (slip.placed === "shelf") return "a print on the shelf is not heard";
  if (slip.afterwards === "keep live") return "the source sounds on, and the print is placed muted beside it";
  if (slip.tap === "mix") return "the print has the mix chain in it and would go through it again: it is placed muted";
  if (slip.depth !== "32f") return `${slip.depth} bits hold the sound to within their own noise`;
  if (slip.channels === "mono") return "mono has half of what two channels had";
  if (stretch) return "only a stretch is printed; what rings into it and out of it is cut by its edges";
  if (slip.tail === "none" && slip.tap !== "clip") return "the tail is left out";
  if (slip.tap !== "clip" && pieces.some((p) => p.from < earlyFrames(session, p.sources))) return "a filter rings before the first sound, and that stands at the very beginning, where nothing can lie before it";
  const inside = insideChosen(session, tracks);
  if (inside) return slip.together ? `${name(inside.track)} is in ${name(inside.group)} already; parked with it, its sends and keys fall silent` : `${name(inside.track)} runs into ${name(inside.group)}, so its sound is in both prints`;
  for (const t of tracks) {
    const own = pieces.filter((p) => p.sources[0] === t.id);
    const chosen = slip.clips === null || t.clips.every((c) => slip.clips?.includes(c.id));
    if (!slip.together && !chosen && slip.tap !== "clip") return `what is not chosen on ${name(t)} is parked with it`;
    if (!chosen && slip.placed !== "same track") return `what is not chosen on ${name(t)} is parked with it`;
    if (slip.pieces === "each clip" && t.clips.some((c) => c.kind !== "notes" && c.crossfade)) return `crossfades on ${name(t)} need both clips in one piece`;
    if (own.length > 1 && slip.tap !== "clip") return "pieces are printed each by itself, so tails end where the next one begins, and devices that follow the level begin anew";
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

function bakedIn(session: Session, tracks: readonly Track[], slip: Slip): readonly string[] {
  const list: string[] = [];
  const devices = (t: Track) => t.devices.filter((d) => d.on).map((d) => declarationOf(d.type)?.name ?? d.type);
  if (tracks.some((t) => t.kind === "audio")) list.push("clips with their fades");
  if (slip.tap !== "clip") list.push(...new Set(tracks.flatMap(devices)));
  if (slip.tap === "channel" || slip.tap === "group") list.push("fader, pan and mute");
  if (slip.tap === "group") list.push(...new Set(tracks.flatMap((t) => groupsAbove(session, t)).map((g) => `${g.name || "group"} with its fader`)));
  if (slip.returns) list.push("what its sends produce");
  if (slip.tap === "mix") list.push("everything up to the output");
  return list.length === 0 ? ["the sound as it runs in"] : list;
}

function staysLive(session: Session, tracks: readonly Track[], slip: Slip): readonly string[] {
  if (slip.placed === "shelf") return ["nothing: it lies on the shelf"];
  if (slip.tap === "mix") return ["nothing: it passes the mix chain by"];
  const [track] = tracks;
  const one = tracks.length === 1 && track ? track : null;
  const list: string[] = [];
  if (slip.tap === "clip") list.push(one && one.devices.length > 0 ? one.devices.map((d) => declarationOf(d.type)?.name ?? d.type).join(", ") : "devices");
  if (slip.tap === "clip" || slip.tap === "devices") list.push(one?.automation.some((a) => a.target === "fader") ? "fader with its ride" : "fader", "pan");
  if (slip.tap !== "group" && !slip.returns && (!one || one.sends.length > 0)) list.push(one ? `${one.sends.length} ${one.sends.length === 1 ? "send" : "sends"}` : "sends");
  const into = slip.tap === "group" ? mixOf(session) : one ? session.tracks.find((t) => t.id === one.output) : null;
  list.push(into ? `into ${into.name || "the mix"}` : "their outputs");
  return list;
}

function warningsOf(session: Session, tracks: readonly Track[], slip: Slip, files: readonly PrintFile[], differs: string | null, tempo: TempoMap): readonly PrintWarning[] {
  const warnings: PrintWarning[] = [];
  const name = (t: Track) => t.name || "unnamed";
  for (const t of tracks) {
    if (t.mute && (slip.tap === "channel" || slip.tap === "group")) warnings.push({ what: `${name(t)} is muted: its print would be silent.`, fix: { label: "Open its valve", edits: [{ do: "set", in: "tracks", id: t.id, patch: { mute: false } }] } });
    if (slip.tap !== "clip") for (const d of t.devices) if (d.on && !declarationOf(d.type)) warnings.push({ what: `${d.type} on ${name(t)} is not installed: the print will not have it.`, fix: null });
  }
  if (slip.tap === "mix" && mixOf(session).devices.some((d) => d.on)) warnings.push({ what: "The mix chain is printed into it.", fix: null });
  if (slip.afterwards === "keep live" && slip.placed === "new track") warnings.push({ what: "Both would sound: the print is placed muted.", fix: { label: "Park the source instead", slip: { afterwards: "park" } } });
  if (slip.range.by === "stretch" && slip.afterwards === "park") warnings.push({ what: "Parking the source silences the rest of it, too.", fix: { label: "Clear only the stretch", slip: { afterwards: "replace" } } });
  const inside = slip.together ? null : insideChosen(session, tracks);
  if (inside) warnings.push({ what: `${name(inside.track)} runs into ${name(inside.group)}: its sound would be in both prints.`, fix: { label: `Leave ${name(inside.track)} out`, slip: { tracks: slip.tracks.filter((id) => id !== inside.track.id) } } });
  const stray = strayEnd(session, tracks, tempo);
  if (stray && slip.range.by !== "stretch" && slip.range.by !== "saved") {
    warnings.push({ what: `${stray.name} lies far behind everything else and makes the print as long as it is.`, fix: { label: "End before it", slip: { range: { by: "stretch", from: slip.range.by === "zero" ? 0 : (files[0]?.from ?? 0), to: stray.before }, tail: "measured" } } });
  }
  if (differs && slip.afterwards !== "keep live" && slip.placed !== "shelf" && slip.tap !== "mix") warnings.push({ what: `It will not sound exactly the same: ${differs}.`, fix: null });
  return warnings;
}

/** The last clip, when a long silence lies before it, and where everything else ends. */
function strayEnd(session: Session, tracks: readonly Track[], tempo: TempoMap): { readonly name: string; readonly before: Frames } | null {
  const spans = tracks.flatMap((t) => t.clips.map((c) => ({ name: c.name || "A clip", ...clipSpan(c, tempo) }))).sort((a, b) => a.from - b.from);
  const last = spans.at(-1);
  const before = Math.max(0, ...spans.slice(0, -1).map((s) => s.to));
  return last && spans.length > 1 && last.from - before > STRAY_S * session.rate ? { name: last.name, before } : null;
}

/** A file of a plan with its audio in the store. */
export interface Printed {
  readonly file: PrintFile;
  readonly asset: Asset;
}

/**
 * What a finished print changes in the session, as one step: its audio, the tracks or clips that play it, and what becomes of the source. The session may have changed since the
 * plan was made: tracks that are gone get no print, and are left alone.
 */
export function printStep(session: Session, plan: Pick<PrintPlan, "slip">, printed: readonly Printed[], newId: () => string): Step {
  const { slip } = plan;
  const edits: Edit[] = [];
  const known = new Set(session.assets.map((a) => a.id));
  for (const { asset } of printed) {
    if (known.has(asset.id)) continue;
    edits.push({ do: "add", in: "assets", item: { ...asset }, index: known.size });
    known.add(asset.id);
  }
  const label = `Print ${printed.length === 1 ? (printed[0]?.asset.name ?? "") : `${printed.length} files`}`;
  if (slip.placed === "shelf") return { label, edits };
  const clipOf = ({ file, asset }: Printed) => makeAudioClip({ id: newId(), name: asset.name, asset: asset.id, start: file.from, frames: asset.frames });
  const groups = new Map<string, Printed[]>();
  for (const p of printed) {
    const key = p.file.sources.join("/");
    groups.set(key, [...(groups.get(key) ?? []), p]);
  }
  const tempo = tempoMap(session.tempo, session.rate);
  const order = session.tracks.map((t) => t.id);
  const replaced = new Map<string, string>();
  for (const list of groups.values()) {
    const sources = (list[0]?.file.sources ?? []).flatMap((id) => session.tracks.find((t) => t.id === id) ?? []);
    const [source] = sources;
    if (!source) continue;
    if (slip.placed === "same track") {
      const gone = source.clips.filter((c) => slip.clips === null || slip.clips.includes(c.id));
      edits.push(...gone.map((c): Edit => ({ do: "remove", in: "clips", track: source.id, id: c.id })));
      list.forEach((p, i) => edits.push({ do: "add", in: "clips", track: source.id, item: { ...clipOf(p) }, index: source.clips.length - gone.length + i }));
      continue;
    }
    const track = newTrack(session, sources, slip, list.map(clipOf), list[0]?.asset.name ?? "Print", newId);
    const at = order.indexOf(source.id) + 1;
    order.splice(Math.min(at, order.length - (source.kind === "mix" ? 1 : 0)), 0, track.id);
    edits.push({ do: "add", in: "tracks", item: { ...track }, index: order.indexOf(track.id) });
    for (const s of sources) {
      edits.push(...afterwardsOf(session, s, slip, tempo, newId));
      if (slip.afterwards !== "keep live" && s.kind !== "mix" && !stretched(slip)) replaced.set(s.id, track.id);
    }
  }
  edits.push(...followers(session, replaced, slip));
  return { label, edits };
}

const stretched = (slip: Slip) => slip.range.by === "stretch" || slip.range.by === "saved" || slip.clips !== null;

/** The track that plays a print: it keeps what was not baked, so that it sounds the same. */
function newTrack(session: Session, sources: readonly Track[], slip: Slip, clips: readonly Clip[], name: string, newId: () => string): Track {
  const [source] = sources;
  const mix = mixOf(session);
  const plain = makeTrack({
    id: newId(), name, kind: "audio", clips, output: mix.id,
    // Beside a source that sounds on, or behind the mix chain, it would be heard twice.
    mute: slip.afterwards === "keep live" || slip.tap === "mix",
  });
  if (!source || slip.tap === "mix") return plain;
  const outputs = new Set(sources.map((s) => s.output));
  const into = slip.tap === "group" || outputs.size > 1 ? mix.id : (source.output ?? mix.id);
  if (sources.length > 1 || slip.tap === "group") return { ...plain, output: into };
  const sendIds = new Map(source.sends.map((s) => [s.id, newId()]));
  const sends = slip.returns ? [] : source.sends.map((s) => ({ ...s, id: sendIds.get(s.id) ?? newId() }));
  const lanes = (keep: readonly Track["automation"][number]["target"][]) =>
    source.automation
      .filter((a) => keep.includes(a.target) && (a.target !== "send" || !slip.returns))
      .map((a) => ({ ...a, id: newId(), of: a.target === "send" && a.of !== null ? (sendIds.get(a.of) ?? null) : a.of }));
  if (slip.tap === "channel") return { ...plain, output: into, sends, automation: lanes(["send"]) };
  return {
    ...plain, output: into, sends, faderDb: source.faderDb, pan: source.pan, mute: plain.mute || source.mute,
    devices: slip.tap === "clip" ? source.devices : [],
    automation: lanes(slip.tap === "clip" ? ["fader", "pan", "mute", "send", "param"] : ["fader", "pan", "mute", "send"]),
  };
}

function afterwardsOf(session: Session, source: Track, slip: Slip, tempo: TempoMap, newId: () => string): readonly Edit[] {
  if (slip.afterwards === "keep live" || source.kind === "mix") return [];
  if (slip.afterwards === "park" || source.kind === "group" || source.kind === "return") return [{ do: "set", in: "tracks", id: source.id, patch: { parked: true } }];
  const thaw: readonly Edit[] = source.frozen ? [{ do: "set", in: "tracks", id: source.id, patch: { frozen: null } }] : [];
  const stretch = stretchOf(session, slip, tempo);
  if (stretch) {
    const { edits, inside } = cutAround([source], stretch.from, stretch.to, tempo, newId);
    return [...thaw, ...edits, ...inside.map((ref): Edit => ({ do: "remove", in: "clips", track: ref.track, id: ref.clip }))];
  }
  const gone = source.clips.filter((c) => slip.clips === null || slip.clips.includes(c.id));
  return [...thaw, ...gone.map((c): Edit => ({ do: "remove", in: "clips", track: source.id, id: c.id }))];
}

/** Keys and stems that pointed at a source follow to the track that plays its print. */
function followers(session: Session, replaced: ReadonlyMap<string, string>, slip: Slip): readonly Edit[] {
  if (replaced.size === 0) return [];
  const edits: Edit[] = [];
  if (slip.tap === "clip" || slip.tap === "devices" || slip.tap === "channel") {
    for (const track of session.tracks) for (const device of track.devices) {
      const key = device.key === null ? undefined : replaced.get(device.key);
      if (key !== undefined && !replaced.has(track.id)) edits.push({ do: "set", in: "devices", track: track.id, id: device.id, patch: { key } });
    }
  }
  for (const row of session.sheet.rows) {
    if (!row.sources.some((s) => replaced.has(s))) continue;
    edits.push({ do: "set", in: "rows", id: row.id, patch: { sources: [...new Set(row.sources.map((s) => replaced.get(s) ?? s))] } });
  }
  return edits;
}

