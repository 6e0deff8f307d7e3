import { declarationOf } from "../devices/catalogue";
import { isRinging } from "../session/clips";
import type { Tap } from "../engine/tap";
import { MIX_AFTER } from "../engine/tap";
import type { Session, Track } from "../session/document";
import { mixOf, trackOf } from "../session/routing";
import { hoursTooLong } from "../limits";
import type { TempoMap } from "../time/tempo";
import { framesOfBeats, tempoMap } from "../time/tempo";
import type { Frames } from "../units";
import { bakedIn, staysLive } from "./baked";
import { fingerprints } from "./fingerprint";
import { withMoves, withoutAutomation } from "./moves";
import { membersOfFamily, subjectOf } from "./members/family";
import { withinOnly } from "./members/loop";
import type { Asked } from "./members/member";
import { padHasRoom, padsFrom } from "./members/pad";
import type { Piece } from "./pieces";
import { earlyFrames, stretchOf } from "./pieces";
import type { PrintFile, PrintPlan } from "./print";
import type { Planned, Refusal, Why } from "./refusals";
import { refusePrint } from "./refusals";
import { sameness } from "./sameness";
import { namesOf } from "./print-name";
import type { Slip } from "./slip";
import { warningsOf } from "./warnings";
import { shownName } from "../session/names";

const NOTHING = { pieces: [], phrases: [] } as const;

/**
 * Decides everything about a print, or says why it cannot be made. Pure: nothing is rendered. `day`: of the print, as
 * its name may tell it (2026-11-28).
 */
export function planPrint(session: Session, slip: Slip, day = ""): Planned<PrintPlan> {
  const tempo = tempoMap(session.tempo, session.rate);
  const tracks = slip.tracks.flatMap((id) => session.tracks.find((t) => t.id === id) ?? []);
  const stretch = stretchOf(session, slip, tempo);
  const asked: Asked = { session, slip, tracks, tempo, stretch };
  const refusals = refusalsOf(asked);
  if (refusals.length > 0) return { ok: false, refusals };

  const start = stretch?.from ?? 0;
  const cuts = cutsOf(slip);
  const ridden = cuts.reduce((now, cut) => withoutAutomation(now, cut, start, tempo), withMoves(session, slip.moves));
  const sources = slip.tracks.map((id) => trackOf(ridden, id));
  const asRidden: Asked = { ...asked, session: ridden, tracks: sources };
  const main = subjectOf(slip).pieces?.(asRidden) ?? NOTHING;
  const cut = cuts.map((c, k) =>
    k === 0
      ? filesOf({ ...asRidden, day }, main.pieces, "piece")
      : filesOf(
          { ...asRidden, slip: c, day },
          subjectOf(c).pieces?.({ ...asRidden, slip: c }).pieces ?? [],
          `cut-${k}`,
        ),
  );
  const files = evened(cut.flatMap((c, k) => c.files.map((f) => ({ ...f, apart: k > 0 }))));
  const copies = cut.flatMap((c) => c.copies);
  const { pieces, phrases } = main;
  if (files.length === 0) return refusePrint({ kind: stretch ? "nothing in the range" : "nothing to print" });
  const hours = files.map((f) => hoursTooLong(f.to, session.rate)).find((h) => h !== null) ?? null;
  if (hours !== null) return refusePrint({ kind: "too long", hours });
  const crowded = noRoomOnPads(session, slip, files.filter((f) => !f.apart).length);
  if (crowded) return refusePrint(crowded);
  const live: Session = {
    ...ridden,
    phrases: [...ridden.phrases, ...phrases],
    tracks: ridden.tracks.flatMap((t) => [
      slip.tracks.includes(t.id) ? { ...t, frozen: null } : t,
      ...copies.filter((c) => c.after === t.id).map((c) => ({ ...c.track, frozen: null })),
    ]),
  };
  const rendered = stretch && slip.seam.by === "fold" ? withinOnly(live, stretch.from, stretch.to, tempo) : live;
  const prints = fingerprints(
    rendered,
    files.map((f) => f.tap),
  );
  const outcome = sameness(asked, pieces);
  const tail = tailOf(slip, pieces, sources);
  return {
    ok: true,
    value: {
      slip,
      session: rendered,
      tail,
      // Behind a stretch only what rings is heard.
      endAt: stretch && (tail !== "none" || isExact(slip.tail)) ? stretch.to : null,
      ...outcome,
      files: files.map((f, i) => ({ ...f, fingerprint: prints[i] ?? "" })),
      baked: bakedIn(session, tracks, slip),
      live: staysLive(session, tracks, slip),
      warnings: warningsOf(asked, files, outcome),
    },
  };
}

/** Whether a pass goes on until what rings is quiet. What rings of a clip's own effects belongs to the clip. */
function tailOf(slip: Slip, pieces: readonly Piece[], sources: readonly Track[]): "none" | "whole" {
  if (subjectOf(slip).apart || slip.seam.by === "crossfade") return "none";
  if (slip.seam.by === "fold") return "whole";
  const clips = pieces
    .flatMap((p) => p.alone ?? sources.filter((s) => p.sources.includes(s.id)))
    .flatMap((t) => t.clips);
  const rings = slip.tap === "clip" ? clips.some(isRinging) : slip.tail === "measured";
  return rings ? "whole" : "none";
}

/**
 * Several files of one range are equally long: each is filled with silence to where the last of them ends. A file that
 * is alone keeps its own end.
 */
function evened<F extends Pick<PrintFile, "even" | "to">>(files: readonly F[]): readonly F[] {
  const even = files.filter((f) => f.even);
  if (even.length < 2) return files.map((f) => ({ ...f, even: false }));
  const to = Math.max(...even.map((f) => f.to));
  return files.map((f) => (f.even ? { ...f, to } : f));
}

/** The slip itself, and the same at every other tap that is asked for. */
const cutsOf = (slip: Slip): readonly Slip[] => [
  { ...slip, also: [] },
  ...slip.also.map(({ tap, before }): Slip => ({
    ...slip,
    tap,
    before,
    returns: slip.returns && tap !== "clip" && tap !== "devices",
    tail: tap === "clip" ? "none" : slip.tail,
    placed: "shelf",
    name: slip.name.includes("{tap}") ? slip.name : `${slip.name} {tap}`,
    also: [],
  })),
];

interface Cut {
  readonly files: readonly Omit<PrintFile, "apart">[];
  readonly copies: readonly { readonly after: string; readonly track: Track }[];
}

/** The files of one cut, and a copy of a track for each piece that sounds alone, called `mark` and its number. */
function filesOf(
  { session, slip, tempo, stretch, day }: Asked & { readonly day: string },
  pieces: readonly Piece[],
  mark: string,
): Cut {
  const files: Omit<PrintFile, "apart">[] = [];
  const copies: Cut["copies"][number][] = [];
  const names = namesOf({ session, slip, day, tempo }, pieces);
  pieces.forEach((piece, i) => {
    const early = slip.tap === "clip" || subjectOf(slip).apart ? 0 : earlyFrames(session, piece.sources);
    const from = stretch
      ? Math.max(stretch.from, piece.own ? piece.from : 0)
      : slip.range.by === "own" || piece.own
        ? Math.max(0, piece.from - early)
        : 0;
    const to = stretch ? Math.min(stretch.to, piece.own && slip.seam.by === "none" ? piece.to : Infinity) : piece.to;
    if (to <= from || (stretch && (piece.to <= stretch.from || piece.from >= stretch.to))) return;
    const copy = piece.alone && { ...piece.alone, id: `${mark}-${i}` };
    if (copy) copies.push({ after: piece.alone?.id ?? "", track: copy });
    const first = stretch && (!piece.own || slip.seam.by !== "none") ? stretch.from : from;
    const file: Cut["files"][number] = {
      name: names[i] ?? "Print",
      sources: piece.sources,
      tap: tapOf(session, slip, copy ? [copy.id] : piece.sources),
      from: first,
      // A loop is as long as its stretch, whatever is in it.
      to: stretch && slip.seam.by !== "none" ? stretch.to : tailEnd(session, slip, to, tempo),
      at: piece.at ?? [first],
      layered: piece.layered,
      velocities: piece.velocities,
      side: null,
      fingerprint: "",
      even: !piece.own && slip.seam.by === "none" && slip.range.by !== "own",
    };
    if (slip.channels === "two mono")
      files.push(
        { ...file, name: `${file.name} left`, side: "left" },
        { ...file, name: `${file.name} right`, side: "right" },
      );
    else files.push(file);
  });
  return { files, copies };
}

function refusalsOf(asked: Asked): readonly Refusal[] {
  const { session, slip, tracks, stretch } = asked;
  const refusals: Refusal[] = [];
  const refuse = (why: Why) => void refusals.push({ track: null, why });
  if (tracks.length < slip.tracks.length) refuse({ kind: "track gone" });
  for (const cut of cutsOf(slip))
    for (const track of tracks) {
      const why = noSuchDevice(cut, track) ?? cannotPrint({ ...asked, slip: cut }, track);
      if (why) refusals.push({ track: shownName(track), why });
    }
  const away = slip.placed === "shelf" || slip.placed === "pad";
  for (const member of membersOfFamily(slip)) for (const why of member.refuses?.(asked) ?? []) refuse(why);
  if (slip.placed === "same track" && slip.together) refuse({ kind: "together on one track" });
  if (slip.placed === "same track" && slip.afterwards !== "replace") refuse({ kind: "same track keeps clips" });
  if (slip.rate !== null && slip.rate !== session.rate && !away) refuse({ kind: "other rate on a track" });
  if (slip.channels === "two mono" && !away) refuse({ kind: "two mono on a track" });
  if (slip.placed === "pad") {
    const device = session.tracks.find((t) => t.id === slip.pad?.track)?.devices.find((d) => d.id === slip.pad?.device);
    if (!device || !slip.pad || !padHasRoom(device, slip.pad.pad)) refuse({ kind: "no pad with room" });
    else if (slip.tracks.includes(slip.pad.track) && slip.afterwards !== "keep live")
      refuse({ kind: "kit parked with its print" });
  }
  if (stretch && stretch.to <= stretch.from) refuse({ kind: "range ends before it begins" });
  return refusals;
}

/** Why these files do not fit on a kit's pads; null: they do, or go elsewhere. */
function noRoomOnPads(session: Session, { placed, pad, channels }: Slip, files: number): Why | null {
  const device = session.tracks.find((t) => t.id === pad?.track)?.devices.find((d) => d.id === pad?.device);
  if (placed !== "pad" || !pad || !device) return null;
  const room = padsFrom(device, pad, files, channels === "two mono").length;
  return room < files ? { kind: "too few pads", files, room } : null;
}

/** Why a slip's tap cannot stand in front of the device that it names; null: it can, or names none. */
function noSuchDevice({ tap, before, tracks }: Slip, track: Track): Why | null {
  if (before === null) return null;
  if (tracks.length > 1) return { kind: "one track between devices" };
  if (tap !== (track.kind === "mix" ? "mix" : "devices")) return { kind: "device tap at a channel" };
  const at = track.devices.findIndex((d) => d.id === before);
  if (at < 0) return { kind: "device gone" };
  return at === 0 && track.kind === "instrument" ? { kind: "before the instrument" } : null;
}

/** Why a track cannot be printed by a slip; null: it can. */
function cannotPrint(asked: Asked, track: Track): Why | null {
  const { slip } = asked;
  const subject = subjectOf(slip);
  if (subject.apart) return subject.refusesTrack?.(asked, track) ?? null;
  if (track.parked) return { kind: "parked" };
  if (track.kind === "mix" && slip.tap !== "mix") return { kind: "mix at its end alone" };
  const refused = subject.refusesTrack?.(asked, track);
  if (refused) return refused;
  const instrument = track.kind === "instrument" ? track.devices[0] : undefined;
  if (slip.tap !== "clip" && instrument && !declarationOf(instrument.type))
    return { kind: "instrument absent", instrument: instrument.type };
  for (const member of membersOfFamily(slip)) {
    const why = member.refusesTrack?.(asked, track);
    if (why) return why;
  }
  return null;
}

function tapOf(session: Session, { tap, before, returns, linked }: Slip, sources: readonly string[]): Tap {
  const [track = ""] = sources;
  if (before !== null) return { kind: "device", track, device: before };
  if (tap === "mix" && track === mixOf(session).id) return MIX_AFTER;
  return { kind: "path", sources, at: tap, returns, linked };
}

const isExact = (tail: Slip["tail"]): tail is Exclude<Slip["tail"], string> => typeof tail !== "string";

/** Where a file ends whose tail has a length of its own. */
function tailEnd({ rate }: Session, { tail, tap }: Slip, to: Frames, tempo: TempoMap): Frames {
  if (!isExact(tail) || tap === "clip") return to;
  return tail.by === "seconds" ? to + Math.round(tail.length * rate) : to + framesOfBeats(tempo, to, tail.length);
}
