import { declarationOf } from "../devices/catalogue";
import { completeParams } from "../devices/device";
import { isSum } from "../engine/wiring";
import { splitClip } from "../session/clip-edits";
import { clipSpan, isPlaced, isRinging } from "../session/clips";
import type { Clip, Device, Session, Track } from "../session/document";
import { groupsAbove, keyedBy, membersOf, mixOf, sentOn } from "../session/routing";
import type { Frames } from "../units";
import { bakedChannel, lostMoves } from "./moves";
import { phraseOf, subjectOf } from "./members/family";
import { hardware } from "./members/hardware";
import { livePass } from "./members/live-pass";
import { loop } from "./members/loop";
import type { Asked } from "./members/member";
import type { Piece } from "./pieces";
import { ringsBeforeZero, stretchOf } from "./pieces";
import type { Reason, Sameness } from "./reasons";
import type { Slip } from "./slip";
import { isPart, parted } from "./slip";
import { shownName } from "../session/names";

const SAME: Sameness = { heard: true, differs: null, certain: true };

/** How the session sounds with a print in its source's place. */
export function sameness(asked: Asked, pieces: readonly Piece[]): Sameness {
  const { session, tracks, slip } = asked;
  const subject = subjectOf(slip);
  if (subject.apart) {
    const differs = subject.differs?.(asked) ?? null;
    return differs ? { ...SAME, differs } : (roughly(slip) ?? SAME);
  }
  if (slip.placed === "shelf" || slip.placed === "pad" || slip.afterwards === "keep live" || slip.tap === "mix")
    return { ...SAME, heard: false };
  // What is silent before is silent after; that such a print is probably not meant is warned of. Printed together, what
  // runs into a chosen group is there through it.
  const sounding = tracks.filter((t) => isHeard(session, t));
  const open: Reason[] = [];
  const differs = whyDifferent({ ...asked, tracks: sounding }, pieces, open);
  if (differs) return { ...SAME, differs };
  if (slip.depth === "16") return roughly(slip) ?? SAME;
  const may = open[0] ?? whyPerhaps({ ...asked, tracks: sounding });
  return may ? { heard: true, differs: may, certain: false } : (roughly(slip) ?? SAME);
}

/** What the depth of the file takes away: 16 bits are heard at -96 dBFS, 24 bits only where they run out of room. */
function roughly({ depth }: Slip): Sameness | null {
  if (depth === "16") return { ...SAME, differs: { kind: "16 bits" } };
  return depth === "24" ? { heard: true, differs: { kind: "24 bits" }, certain: false } : null;
}

/**
 * Why the session cannot sound the same with a print in its source's place; null: nothing is known that makes it
 * differ. What depends on levels, as all that dynamics and other devices do that do not simply add up, goes into
 * `open`.
 */
function whyDifferent(asked: Asked, pieces: readonly Piece[], open: Reason[]): Reason | null {
  const { session, tracks, slip, tempo, stretch } = asked;
  const start: Frames = stretch?.from ?? 0;
  for (const how of [livePass, hardware, loop]) {
    const why = how.differs?.(asked);
    if (why) return why;
  }
  const outside = stretch && whyOutside(asked, stretch, open);
  if (outside) return outside;
  const lost = lostMoves(tracks, slip, start, tempo);
  if (lost?.certain) return lost.why;
  if (lost) open.push(lost.why);
  if (phraseOf(slip) !== null) {
    const steering = tracks.find((t) => keyed(session, t.id).length > 0);
    if (steering)
      return { kind: "steers others", track: shownName(steering), steered: keyed(session, steering.id).map(shownName) };
    return subjectOf(slip).differs?.(asked) ?? null;
  }
  const inside = insideChosen(session, tracks);
  // Apart, the print of what runs into a chosen group rests with that group, unless it goes its own way past it.
  if (inside && !slip.together && slip.tap === "group")
    return { kind: "in both prints", track: shownName(inside.track), group: shownName(inside.group) };
  if (
    inside &&
    slip.together &&
    (keyed(session, inside.track.id).length > 0 || (!slip.returns && sendsFrom(inside.track)))
  )
    return { kind: "in its group already", track: shownName(inside.track), group: shownName(inside.group) };
  for (const t of tracks) {
    const own = pieces.filter((p) => p.sources[0] === t.id);
    const chosen = slip.clips === null || t.clips.every((c) => slip.clips?.includes(c.id));
    const { baked, live } = parted(t, slip);
    if (!slip.together && !chosen && slip.tap !== "clip") return { kind: "not chosen, parked", track: shownName(t) };
    if (!chosen && slip.placed !== "same track") return { kind: "not chosen, parked", track: shownName(t) };
    if (slip.placed === "same track" && ringsIntoNext(t, slip.clips, stretch))
      open.push({ kind: "rings into the next clip", track: shownName(t) });
    if (slip.pieces === "each clip" && t.clips.some((c) => c.kind !== "notes" && c.crossfade))
      open.push({ kind: "crossfades in one piece", track: shownName(t) });
    if (own.length > 1 && slip.tap !== "clip") {
      const follows = baked.find((d) => d.on && declarationOf(d.type) && !declarationOf(d.type)?.linear);
      if (follows)
        open.push({
          kind: "pieces through a device",
          track: shownName(t),
          device: declarationOf(follows.type)?.name ?? "a device",
        });
      if (slip.tap !== "devices") open.push({ kind: "pieces moved apart" });
      if (own.some((p, i) => own.some((q, k) => k > i && q.from < p.to)))
        open.push({ kind: "clips on top of one another", track: shownName(t) });
    }
    if (!chosen && t.clips.some((c) => c.kind !== "notes" && c.crossfade))
      open.push({ kind: "crossfades in one piece", track: shownName(t) });
    if (!chosen && overlaps(t, slip.clips ?? [])) return { kind: "not chosen, overlapping", track: shownName(t) };
    if (!chosen && slip.range.by === "zero" && slip.pieces === "one piece" && liesOver(t, slip.clips ?? []))
      return { kind: "lies over what is not chosen", track: shownName(t) };
    if (slip.placed === "new track" && isPart(slip, t) && keyed(session, t.id).length > 0)
      return { kind: "steers others", track: shownName(t), steered: keyed(session, t.id).map(shownName) };
    if (live.length > 0 && slip.placed === "new track" && isPart(slip, t) && isNonlinear({ devices: live }))
      open.push({ kind: "devices twice", track: shownName(t) });
    const channel = bakedChannel(t, slip, start, tempo);
    if (slip.tap === "group" || (slip.tap === "channel" && channel !== "open")) {
      if (keyed(session, t.id).length > 0)
        open.push({
          kind: "steers from after its fader",
          track: shownName(t),
          steered: keyed(session, t.id).map(shownName),
        });
    }
    if (slip.returns && t.kind === "group") {
      const steering = membersOf(session, t).find((m) => keyed(session, m.id).length > 0);
      if (steering)
        open.push({
          kind: "a member steers",
          member: shownName(steering),
          group: shownName(t),
          steered: keyed(session, steering.id).map(shownName),
        });
    }
    if (
      slip.tap === "channel" &&
      !slip.returns &&
      channel !== "open" &&
      t.sends.some((s) => s.position === "before fader" && isSent(t, s))
    )
      return { kind: "send before the fader", track: shownName(t) };
    if (slip.tap === "group" && !slip.returns && (sendsFrom(t) || groupsAbove(session, t).some(sendsFrom)))
      return { kind: "sends along the way" };
    const working =
      slip.tap === "group"
        ? groupsAbove(session, t).filter((g) => isNonlinear(g) && hearsMore(session, g, tracks))
        : [];
    if (working.length > 0) open.push({ kind: "groups hear all", groups: working.map(shownName) });
    if (slip.tap === "group" && groupsAbove(session, t).some((g) => keyed(session, g.id).length > 0))
      return { kind: "a group steers" };
    if (slip.returns && slip.tap === "channel" && reached(session, t).some((r) => r.output !== t.output))
      open.push({ kind: "returns another way" });
    if (slip.returns && reached(session, t).some(isNonlinear)) open.push({ kind: "returns hear all" });
  }
  if (slip.together && (slip.tap === "clip" || slip.tap === "devices")) {
    if (tracks.some((t) => bakedChannel(t, slip, start, tempo) === "set")) return { kind: "faders after the tap" };
    open.push({ kind: "faders after the tap" });
  }
  const outermost = tracks.filter((t) => !groupsAbove(session, t).some((g) => tracks.includes(g)));
  if (slip.together && slip.tap === "channel" && new Set(outermost.map((t) => t.output)).size > 1)
    return { kind: "different groups" };
  if (slip.together && slip.tap === "channel" && !slip.returns && tracks.some(sendsFrom))
    return { kind: "sends of the tracks" };
  return null;
}

/** What a chosen stretch does to clips that lie across its edges. */
function whyOutside(
  { tracks, slip, tempo }: Asked,
  stretch: NonNullable<Asked["stretch"]>,
  open: Reason[],
): Reason | null {
  if (slip.afterwards !== "replace") {
    const beyond = tracks.find((t) =>
      t.clips.some((c) => clipSpan(c, tempo).from < stretch.from || clipSpan(c, tempo).to > stretch.to),
    );
    if (beyond) return { kind: "parked outside the stretch", track: shownName(beyond) };
  }
  for (const t of tracks)
    for (const clip of t.clips)
      for (const edge of [stretch.from, stretch.to]) {
        const { from, to } = clipSpan(clip, tempo);
        if (edge <= from || edge >= to || clip.kind === "notes") continue;
        if (!splitClip(t, clip, edge, tempo, "cut").ok)
          open.push({ kind: "uncut at the edge", clip: clip.name || "a clip", track: shownName(t) });
        else if (hasProcess(clip)) open.push({ kind: "process begins anew", clip: clip.name || "a clip" });
      }
  return null;
}

/** What may make the session differ, depending on what is heard. */
function whyPerhaps(asked: Asked): Reason | null {
  const { session, tracks, slip, tempo } = asked;
  const rings =
    tracks.some((t) => t.clips.some(isRinging)) ||
    (slip.tap !== "clip" &&
      tracks.some(
        (t) =>
          isSum(t) ||
          t.kind === "instrument" ||
          parted(t, slip).baked.some((d) => tailOf(session, d) > 0) ||
          (slip.tap === "group" &&
            groupsAbove(session, t).some((g) => g.devices.some((d) => tailOf(session, d) > 0))) ||
          (slip.returns && reached(session, t).length > 0),
      ));
  if (rings && stretchOf(session, slip, tempo)) return { kind: "rings over the edges" };
  if (rings && slip.tap !== "clip" && slip.tail !== "measured") return { kind: "no tail" };
  if (slip.channels === "mono" && !tracks.every((t) => isMono(session, t, slip))) return { kind: "mono" };
  if (phraseOf(slip) !== null) return subjectOf(slip).mayDiffer?.(asked) ?? null;
  if (
    slip.tap !== "clip" &&
    ringsBeforeZero(
      session,
      tracks.map((t) => t.id),
      tempo,
    ) &&
    tracks.some((t) => isRemembered(session, t, slip))
  )
    return { kind: "rings before the beginning" };
  return null;
}

const instrumentOf = ({ instruments }: Session, { instrument }: Device) =>
  instruments.find((i) => i.id === instrument) ?? null;

const tailOf = (session: Session, device: Device): Frames => {
  const declaration = device.on ? declarationOf(device.type) : undefined;
  return declaration
    ? declaration.tail(completeParams(declaration, device.params), session.rate, instrumentOf(session, device))
    : 0;
};

/** Devices that leave a signal whose channels are equal as it is: two that are alike do the same to both. */
const KEEPS_MONO = new Set(["eq", "filter", "compressor", "gate", "limiter", "saturator", "utility"]);

/** Whether both channels of a track are certainly the same at a tap. */
function isMono(session: Session, track: Track, slip: Slip): boolean {
  const { tap } = slip;
  if (track.kind !== "audio" || tap === "group") return false;
  const recorded = (clips: Track["clips"]): boolean =>
    clips.every((c) =>
      c.kind === "nest"
        ? recorded(c.children)
        : c.kind === "audio" &&
          session.assets.find((a) => a.id === c.asset)?.channels === 1 &&
          c.process.every((d) => !d.on || KEEPS_MONO.has(d.type)),
    );
  return (
    recorded(track.clips) &&
    parted(track, slip).baked.every((d) => !d.on || !declarationOf(d.type) || KEEPS_MONO.has(d.type)) &&
    (tap !== "channel" || (track.pan === 0 && !track.automation.some((a) => a.target === "pan")))
  );
}

/** Whether anything a print runs through afterwards still has in it what came before the timeline's zero. */
function isRemembered(session: Session, track: Track, slip: Slip): boolean {
  const behind: readonly Pick<Track, "devices">[] =
    slip.tap === "group"
      ? [mixOf(session)]
      : [
          { devices: parted(track, slip).live },
          ...groupsAbove(session, track),
          mixOf(session),
          ...(slip.returns ? [] : reached(session, track)),
        ];
  return behind.some((t) => t.devices.some((d) => tailOf(session, d) > 0 && !declarationOf(d.type)?.dynamics));
}

const hasProcess = (clip: Track["clips"][number]): boolean =>
  clip.kind === "nest" ? clip.children.some(hasProcess) : clip.kind === "audio" && clip.process.some((d) => d.on);

/** Something on it works on all that sounds at once. */
const isNonlinear = (track: Pick<Track, "devices">): boolean =>
  track.devices.some((d) => d.on && declarationOf(d.type)?.linear === false);

/** Whether a group hears anything beside what is printed of it. */
const hearsMore = (session: Session, group: Track, printed: readonly Track[]): boolean =>
  membersOf(session, group).some((m) => !isSum(m) && !printed.includes(m) && isHeard(session, m));

/** Whether anything of a track may be heard anywhere: in the mix, in a return, or by what it steers. */
function isHeard(session: Session, track: Track): boolean {
  if (track.kind === "group") return membersOf(session, track).some((t) => !isSum(t) && isHeard(session, t));
  return (
    isSum(track) ||
    (track.clips.length > 0 && (!isShut(track) || sentFrom(track).length > 0 || keyed(session, track.id).length > 0))
  );
}

/** A valve that never opens. */
function isShut(track: Track): boolean {
  const lane = track.automation.find((a) => a.target === "mute");
  return lane ? lane.points.every((p) => p.value >= 0.5) : track.mute;
}

/** Sends that something may come out of. */
const sentFrom = (track: Track): readonly Track["sends"][number][] =>
  track.sends.filter((s) => isSent(track, s) && (s.position === "before fader" || !isShut(track)));

/** A send at the bottom of its travel sends nothing, unless it is ridden. */
const isSent = (track: Track, send: Track["sends"][number]): boolean =>
  send.gainDb > SILENT_DB || track.automation.some((a) => a.target === "send" && a.of === send.id);
const SILENT_DB = -144;

/** Whether what a track's sends produce, and nothing else, would go missing with the track. */
const sendsFrom = (track: Track) => sentFrom(track).length > 0;

/** A chosen track whose sound is in a chosen group's already. */
export function insideChosen(
  session: Session,
  tracks: readonly Track[],
): { readonly track: Track; readonly group: Track } | null {
  for (const track of tracks) {
    const group = groupsAbove(session, track).find((g) => tracks.includes(g));
    if (group) return { track, group };
  }
  return null;
}

/** Tracks that hear less where a track falls silent: it steers a device of theirs. */
const keyed = (session: Session, id: string): readonly Track[] =>
  keyedBy(session, id).filter((t) => !t.parked && !t.frozen && t.devices.some((d) => d.on && d.key === id));

/** Returns that a track's sends reach, also through other returns, and through the groups on its way. */
const reached = (session: Session, track: Track): readonly Track[] =>
  sentOn(session, [track, ...membersOf(session, track), ...groupsAbove(session, track)], sentFrom);

const overlaps = (track: Track, chosen: readonly string[]): boolean =>
  track.clips.some(
    (a) =>
      a.kind !== "notes" &&
      !chosen.includes(a.id) &&
      track.clips.some(
        (b) =>
          b.kind !== "notes" && chosen.includes(b.id) && a.start < b.start + b.frames && a.start + a.frames > b.start,
      ),
  );

/**
 * Whether what rings behind a printed clip would be cut off by a clip that stays: a clip that lies over another one
 * ends it.
 */
function ringsIntoNext(track: Track, chosen: Slip["clips"], range: Asked["stretch"]): boolean {
  const placed = track.clips.filter(isPlaced);
  const isPrinted = (c: Clip) => chosen === null || chosen.includes(c.id);
  return placed.some(
    (c) =>
      isRinging(c) &&
      isPrinted(c) &&
      placed.some(
        (d) => d.start + d.frames > c.start + c.frames && (!isPrinted(d) || (range && d.start + d.frames > range.to)),
      ),
  );
}

/** Whether clips that are not chosen begin before the last of the chosen ones ends. */
function liesOver(track: Track, chosen: readonly string[]): boolean {
  const placed = track.clips.filter((c) => c.kind !== "notes");
  const end = Math.max(0, ...placed.filter((c) => chosen.includes(c.id)).map((c) => c.start + c.frames));
  return placed.some((c) => !chosen.includes(c.id) && c.start < end);
}
