import { declarationOf } from "../devices/catalogue";
import { isRinging } from "../session/clips";
import type { Tap } from "../engine/tap";
import { MIX_AFTER } from "../engine/tap";
import type { Session, Track } from "../session/document";
import type { Checked, Problem } from "../session/problem";
import { mixOf, trackOf } from "../session/routing";
import { tooLong } from "../limits";
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
import { sameness } from "./sameness";
import { namesOf } from "./print-name";
import type { Slip } from "./slip";
import { warningsOf } from "./warnings";

const NOTHING = { pieces: [], phrases: [] } as const;

/**
 * Decides everything about a print, or says why it cannot be made. Pure: nothing is rendered. `day`: of the print, as
 * its name may tell it (2026-11-28).
 */
export function planPrint(session: Session, slip: Slip, day = ""): Checked<PrintPlan> {
  const tempo = tempoMap(session.tempo, session.rate);
  const tracks = slip.tracks.flatMap((id) => session.tracks.find((t) => t.id === id) ?? []);
  const stretch = stretchOf(session, slip, tempo);
  const asked: Asked = { session, slip, tracks, tempo, stretch };
  const problems = problemsOf(asked);
  if (problems.length > 0) return { ok: false, problems };

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
  if (files.length === 0)
    return {
      ok: false,
      problems: [{ where: "slip", what: stretch ? "there is nothing in the stretch" : "there is nothing to print" }],
    };
  const long = files.map((f) => tooLong(f.to, session.rate)).find((why) => why !== null);
  if (long) return { ok: false, problems: [{ where: "slip", what: long }] };
  const crowded = noRoomOnPads(session, slip, files.filter((f) => !f.apart).length);
  if (crowded) return { ok: false, problems: [{ where: "slip", what: crowded }] };
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
  if (slip.of.what === "pad" || slip.seam.by === "crossfade") return "none";
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
    const early = slip.tap === "clip" || slip.of.what === "pad" ? 0 : earlyFrames(session, piece.sources);
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

function problemsOf(asked: Asked): readonly Problem[] {
  const { session, slip, tracks, stretch } = asked;
  const problems: Problem[] = [];
  const say = (track: Track | null, what: string) =>
    void problems.push({ where: track ? track.name || "unnamed" : "slip", what });
  if (tracks.length < slip.tracks.length) say(null, "a track of the slip is not in the session any more");
  for (const cut of cutsOf(slip))
    for (const track of tracks) {
      const reason = noSuchDevice(cut, track) ?? cannotPrint({ ...asked, slip: cut }, track);
      if (reason) say(track, reason);
    }
  const away = slip.placed === "shelf" || slip.placed === "pad";
  for (const member of membersOfFamily(slip)) for (const why of member.refuses?.(asked) ?? []) say(null, why);
  if (slip.placed === "same track" && slip.together)
    say(null, "several tracks printed together have no one track of their own");
  if (slip.placed === "same track" && slip.afterwards !== "replace")
    say(null, "on the same track a print takes the place of its clips: choose to replace them");
  if (slip.rate !== null && slip.rate !== session.rate && !away)
    say(null, "tracks play audio at the session's rate: print another rate onto the shelf");
  if (slip.channels === "two mono" && !away)
    say(null, "a track plays one file at a time: print two mono files onto the shelf");
  if (slip.placed === "pad") {
    const device = session.tracks.find((t) => t.id === slip.pad?.track)?.devices.find((d) => d.id === slip.pad?.device);
    if (!device || !slip.pad || !padHasRoom(device, slip.pad.pad))
      say(null, "choose a pad of a kit that has room for another layer");
    else if (slip.tracks.includes(slip.pad.track) && slip.afterwards !== "keep live")
      say(null, "the kit itself would be parked with what is printed from it: keep the source live");
  }
  if (stretch && stretch.to <= stretch.from) say(null, "the stretch ends before it begins");
  return problems;
}

/** Why so many files do not fit on a kit's pads; null: they do, or go elsewhere. */
function noRoomOnPads(session: Session, { placed, pad, channels }: Slip, files: number): string | null {
  const device = session.tracks.find((t) => t.id === pad?.track)?.devices.find((d) => d.id === pad?.device);
  if (placed !== "pad" || !pad || !device) return null;
  const room = padsFrom(device, pad, files, channels === "two mono").length;
  return room < files ? `${files} files go onto a pad each, and from there on ${room} have room` : null;
}

/** Why a slip's tap cannot stand in front of the device that it names; null: it can, or names none. */
function noSuchDevice({ tap, before, tracks }: Slip, track: Track): string | null {
  if (before === null) return null;
  if (tracks.length > 1) return "between devices one track is tapped at a time";
  if (tap !== (track.kind === "mix" ? "mix" : "devices")) return "only a tap at its devices stands in front of one";
  const at = track.devices.findIndex((d) => d.id === before);
  if (at < 0) return "the device that it should be tapped before is not on it any more";
  return at === 0 && track.kind === "instrument" ? "in front of its instrument there is nothing to hear" : null;
}

/** Why a track cannot be printed by a slip; null: it can. */
function cannotPrint(asked: Asked, track: Track): string | null {
  const { slip } = asked;
  if (slip.of.what === "pad") return subjectOf(slip).refusesTrack?.(asked, track) ?? null;
  if (track.parked) return "the track is parked: unpark it first";
  if (track.kind === "mix" && slip.tap !== "mix") return "the mix is printed at its end, or in front of its chain";
  const refused = subjectOf(slip).refusesTrack?.(asked, track);
  if (refused) return refused;
  const instrument = track.kind === "instrument" ? track.devices[0] : undefined;
  if (slip.tap !== "clip" && instrument && !declarationOf(instrument.type))
    return `its instrument "${instrument.type}" is not installed here: the print would be silent`;
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
