import { byId } from "../by-id";
import { declarationOf } from "../devices/catalogue";
import { samplesOf } from "../instruments/instrument";
import { LEAST_STRETCH, MOST_STRETCH, stretchedFrames } from "./bend";
import type { AudioClip, Asset, Automation, Clip, Device, Session, Track } from "./document";
import { MOST_CLIPS, MOST_OF, MOST_PARAMS, MOST_VALUES } from "./limits";
import type { Problem } from "./problem";
import { findCycle } from "./routing";
import { sizeOf } from "./size";

/** What a schema cannot say: references that exist, one mix, rising maps, parameters in range, no cycles. */
export const checkSession = (session: Session): readonly Problem[] => problemsOf(session, null);

/**
 * The same of a session that was made from a right one: looks at what differs, and at what refers to something that is
 * gone. What is shared by identity is as right as it was, so an edit is checked for as long as the edit is large.
 */
export const checkChange = (before: Session, session: Session): readonly Problem[] =>
  before === session ? [] : problemsOf(session, before.rate === session.rate ? before : null);

function problemsOf(session: Session, before: Session | null): readonly Problem[] {
  const problems: Problem[] = [];
  const say = (where: string, what: string) => void problems.push({ where, what });
  const fresh = (key: keyof Session) => before?.[key] !== session[key];

  if (fresh("tempo")) {
    if (session.tempo[0]?.tick !== 0) say("tempo[0].tick", "the tempo map starts at tick 0");
    rising(session.tempo, (p) => p.tick, "tempo", "tick", say);
  }
  if (fresh("meter")) {
    if (session.meter[0]?.bar !== 1) say("meter[0].bar", "the meter map starts at bar 1");
    rising(session.meter, (p) => p.bar, "meter", "bar", say);
  }
  for (const list of ["tracks", "phrases", "assets", "instruments", "markers", "ranges"] as const)
    if (fresh(list)) {
      unique(session[list], list, say);
      bounded(session[list], before?.[list], MOST_OF[list], list, say);
    }
  if (fresh("tracks") || fresh("phrases")) checkSize(session, before, say);
  if (fresh("ranges"))
    session.ranges.forEach((r, i) => {
      if (r.to <= r.from) say(`ranges[${i}].to`, "the range ends before it starts");
    });
  const { sheet } = session;
  if (before?.sheet.rows !== sheet.rows) {
    unique(sheet.rows, "sheet.rows", say);
    bounded(sheet.rows, before?.sheet.rows, MOST_OF.rows, "sheet.rows", say);
  }

  const tracks = byId(session.tracks);
  /** Something that others may refer to is not there any more as it was. */
  const lost = {
    tracks: !before || (fresh("tracks") && before.tracks.some((t) => tracks.get(t.id)?.kind !== t.kind)),
    assets: !before || (fresh("assets") && !before.assets.every((a) => isAlike(byId(session.assets).get(a.id), a))),
    phrases: !before || (fresh("phrases") && !before.phrases.every((p) => byId(session.phrases).has(p.id))),
    instruments:
      !before || (fresh("instruments") && !before.instruments.every((p) => byId(session.instruments).has(p.id))),
  };
  if (lost.assets || fresh("instruments")) checkInstruments(session, lost.assets ? null : before, say);
  if (lost.tracks || session.tracks.length !== before?.tracks.length)
    if (session.tracks.filter((t) => t.kind === "mix").length !== 1) say("tracks", "a session has exactly one mix");

  const around: Around = { session, tracks, say };
  let rerouted = lost.tracks;
  session.tracks.forEach((track, i) => {
    const was = before ? byId(before.tracks).get(track.id) : undefined;
    if (was === track && !Object.values(lost).some(Boolean)) return;
    if (!was || routesOf(was) !== routesOf(track)) rerouted = true;
    checkTrack(track, was, `tracks[${i}]`, lost, around);
  });
  if (lost.tracks || before?.sheet.rows !== sheet.rows)
    sheet.rows.forEach((row, r) =>
      row.sources.forEach((source, s) => {
        const track = tracks.get(source);
        if (!track) say(`sheet.rows[${r}].sources[${s}]`, `there is no track "${source}"`);
        else if (track.kind === "mix")
          say(`sheet.rows[${r}].sources[${s}]`, "the mix is delivered as the reference mix, not as a stem");
      }),
    );
  if (new Set(sheet.sessionFiles.map((f) => f.kind)).size < sheet.sessionFiles.length)
    say("sheet.sessionFiles", "there are two of one kind");
  if (sheet.from !== null && sheet.to !== null && sheet.to <= sheet.from)
    say("sheet.to", "the range ends before it starts");

  if (problems.length === 0 && rerouted) {
    const cycle = findCycle(session);
    if (cycle) say("tracks", `the signal would run in a circle: ${cycle.join(" → ")}`);
  }
  return problems;
}

/** What of a track decides whom it feeds and who feeds it. */
const routesOf = (track: Track): string =>
  JSON.stringify([
    track.output,
    track.sends.map((s) => s.to),
    track.devices.map((d) => d.key),
    // A frozen track has no key.
    track.frozen === null,
  ]);

const isAlike = (a: Asset | undefined, b: Asset) => a === b || (a?.frames === b.frames && a.rate === b.rate);

interface Lost {
  readonly tracks: boolean;
  readonly assets: boolean;
  readonly phrases: boolean;
  readonly instruments: boolean;
}

/** Checks that instruments have their recordings, of those that differ from before. */
function checkInstruments(session: Session, before: Session | null, say: Around["say"]) {
  const known = new Set(before?.instruments);
  session.instruments.forEach((instrument, i) => {
    if (known.has(instrument)) return;
    for (const sample of samplesOf(instrument))
      if (!byId(session.assets).has(sample)) say(`instruments[${i}].zones`, "no such audio in the session");
    if (instrument.zones.some((z) => (z.modulators ?? 0) > Math.max(0, instrument.modulators.length - 1)))
      say(`instruments[${i}].modulators`, "a zone has modulators that are not there");
  });
}

/** Checks a track, or what of it differs from what it was. */
function checkTrack(track: Track, was: Track | undefined, at: string, lost: Lost, around: Around) {
  const { session, tracks, say } = around;
  const output = track.output === null ? null : tracks.get(track.output);
  if (track.kind === "mix") {
    if (track.output !== null) say(`${at}.output`, "the mix has no output");
  } else if (!output) say(`${at}.output`, `there is no track "${track.output ?? ""}"`);
  else if (output.kind !== "group" && output.kind !== "mix")
    say(`${at}.output`, `"${output.name}" is neither a group nor the mix`);

  const sameKind = was?.kind === track.kind;
  for (const list of ["devices", "sends", "automation"] as const)
    if (was?.[list] !== track[list]) {
      unique(track[list], `${at}.${list}`, say);
      bounded(track[list], was?.[list], MOST_OF[list], `${at}.${list}`, say);
    }

  const clips = (list: readonly Clip[], before: readonly Clip[] | undefined, where: string) => {
    const all = !sameKind || lost.assets || lost.phrases;
    if (list === before && !all) return;
    if (list !== before) {
      unique(list, where, say);
      bounded(list, before, MOST_OF.clips, where, say);
    }
    const known = all ? null : new Set(before);
    list.forEach((clip, c) => {
      if (!known?.has(clip)) checkClip(clip, track.kind, `${where}[${c}]`, around);
    });
  };
  clips(track.clips, was?.clips, `${at}.clips`);
  if (was?.takes !== track.takes) {
    unique(track.takes, `${at}.takes`, say);
    bounded(track.takes, was?.takes, MOST_OF.takes, `${at}.takes`, say);
  }
  const takes = byId(was?.takes ?? NOTHING);
  track.takes.forEach((take, k) => clips(take.clips, takes.get(take.id)?.clips, `${at}.takes[${k}].clips`));
  if (!sameKind || was.devices !== track.devices || lost.tracks || lost.assets || lost.instruments)
    track.devices.forEach((device, d) =>
      checkDevice(device, track.kind === "instrument" && d === 0, `${at}.devices[${d}]`, around),
    );
  if (track.kind === "instrument" && track.devices.length === 0)
    say(`${at}.devices`, "an instrument track starts with its instrument");
  track.sends.forEach((send, s) => {
    if (tracks.get(send.to)?.kind !== "return") say(`${at}.sends[${s}].to`, "a send goes to a return");
  });
  checkLanes(track, was, at, say);
  if (track.frozen && (!sameKind || was.frozen !== track.frozen || lost.assets)) {
    if (track.kind !== "audio" && track.kind !== "instrument")
      say(`${at}.frozen`, "only audio and instrument tracks freeze");
    const asset = byId(session.assets).get(track.frozen.asset);
    if (!asset) say(`${at}.frozen.asset`, "no such audio in the session");
    else if (asset.rate !== session.rate)
      say(`${at}.frozen.asset`, `is at ${asset.rate} Hz, the session at ${session.rate} Hz`);
  }
}

function checkLanes(track: Track, was: Track | undefined, at: string, say: Say) {
  if (was && was.automation === track.automation && was.devices === track.devices && was.sends === track.sends) return;
  const known = new Set(was?.automation);
  const lanes = new Set<string>();
  track.automation.forEach((lane, l) => {
    const where = `${at}.automation[${l}]`;
    const name = `${lane.target}/${lane.of ?? ""}/${lane.param ?? ""}`;
    if (lanes.has(name)) say(where, "the same control is automated twice");
    lanes.add(name);
    const limits = laneLimits(track, lane, where, say);
    if (was && known.has(lane) && limits === laneLimits(was, lane, where, () => undefined)) return;
    rising(lane.points, (p) => p.tick, `${where}.points`, "tick", say);
    lane.points.forEach((p, k) => {
      if (limits && (p.value < limits.min || p.value > limits.max))
        say(`${where}.points[${k}].value`, `is outside ${limits.min} to ${limits.max}`);
    });
  });
}

type Say = (where: string, what: string) => void;

const withArticle = (kind: Track["kind"]) => (kind === "audio" || kind === "instrument" ? `an ${kind}` : `a ${kind}`);

interface Around {
  readonly session: Session;
  readonly tracks: ReadonlyMap<string, Track>;
  readonly say: Say;
}

function checkClip(clip: Clip, kind: Track["kind"], at: string, around: Around) {
  const { session, say } = around;
  if (clip.kind === "notes") {
    if (kind !== "instrument") say(at, `notes do not play on ${withArticle(kind)} track`);
    if (!byId(session.phrases).has(clip.phrase)) say(`${at}.phrase`, "no such phrase in the session");
    return;
  }
  if (kind !== "audio") say(at, `audio does not play on ${withArticle(kind)} track`);
  if (clip.fadeIn.frames + clip.fadeOut.frames > clip.frames)
    say(`${at}.fadeIn`, "the fades together are longer than the clip");
  if (clip.kind === "nest") {
    unique(clip.children, `${at}.children`, say);
    clip.children.forEach((child, c) => checkClip(child, kind, `${at}.children[${c}]`, around));
    return;
  }
  const asset = byId(session.assets).get(clip.asset);
  if (!asset) say(`${at}.asset`, "no such audio in the session");
  else {
    if (asset.rate !== session.rate)
      say(`${at}.asset`, `"${asset.name}" is at ${asset.rate} Hz, the session at ${session.rate} Hz`);
    const frames = stretchedFrames(asset.frames, clip);
    if (clip.offset + clip.frames > frames)
      say(`${at}.frames`, `reads to frame ${clip.offset + clip.frames}, the audio has ${frames}`);
  }
  checkBend(clip, at, say);
  unique(clip.process, `${at}.process`, say);
  clip.process.forEach((device, d) => {
    checkDevice(device, false, `${at}.process[${d}]`, around);
    if (device.key !== null) say(`${at}.process[${d}].key`, "a clip's device takes no key");
  });
}

function checkDevice(device: Device, first: boolean, at: string, { session, tracks, say }: Around) {
  unique(device.layers, `${at}.layers`, say);
  device.layers.forEach((layer, l) => {
    if (!byId(session.assets).has(layer.asset)) say(`${at}.layers[${l}].asset`, "no such audio in the session");
    if (layer.softest > layer.loudest) say(`${at}.layers[${l}].softest`, "is above the loudest");
  });
  if (device.instrument !== null && !byId(session.instruments).has(device.instrument))
    say(`${at}.instrument`, "no such instrument in the session");
  // The parameters of an absent device are unknown.
  if (Object.keys(device.params).length > MOST_PARAMS)
    say(`${at}.params`, `a device is set by at most ${MOST_PARAMS} parameters`);
  const declaration = declarationOf(device.type);
  if (!declaration) return;
  if (device.layers.length > declaration.layers)
    say(
      `${at}.layers`,
      declaration.layers === 0
        ? `${declaration.name} holds no audio`
        : `${declaration.name} holds at most ${declaration.layers}`,
    );
  if (declaration.role === "instrument" && !first)
    say(`${at}.type`, `${declaration.name} is an instrument: it stands first on an instrument track`);
  if (declaration.role === "effect" && first)
    say(`${at}.type`, `${declaration.name} is an effect: an instrument track starts with an instrument`);
  const known = new Map(declaration.params.map((p) => [p.id, p]));
  for (const [id, value] of Object.entries(device.params)) {
    const param = known.get(id);
    if (!param) say(`${at}.params.${id}`, `${declaration.name} has no such parameter`);
    else if (value < param.min || value > param.max)
      say(`${at}.params.${id}`, `is outside ${param.min} to ${param.max} ${param.unit}`.trimEnd());
  }
  if (device.key !== null) {
    if (!declaration.takesKey) say(`${at}.key`, `${declaration.name} takes no key`);
    else if (!tracks.has(device.key)) say(`${at}.key`, `there is no track "${device.key}"`);
  }
}

const NOTHING: readonly never[] = [];
const LIMITS = { pan: { min: -1, max: 1 }, mute: { min: 0, max: 1 }, fader: { min: -144, max: 24 } } as const;

/** The values a lane may take, or null when it moves something of an absent device, whose limits are unknown. */
function laneLimits(
  track: Track,
  lane: Automation,
  at: string,
  say: Say,
): { readonly min: number; readonly max: number } | null {
  switch (lane.target) {
    case "pan":
      return LIMITS.pan;
    case "mute":
      return LIMITS.mute;
    case "fader":
      return LIMITS.fader;
    case "send":
      if (!track.sends.some((s) => s.id === lane.of)) say(`${at}.of`, "there is no such send on the track");
      return LIMITS.fader;
    case "param": {
      const device = track.devices.find((d) => d.id === lane.of);
      if (!device) say(`${at}.of`, "there is no such device on the track");
      const declaration = device && declarationOf(device.type);
      if (!declaration) return null;
      const param = declaration.params.find((p) => p.id === lane.param);
      if (!param) say(`${at}.param`, `${declaration.name} has no such parameter`);
      else if (param.fixed) say(`${at}.param`, `${param.name} is set once and does not move`);
      return param ?? null;
    }
  }
}

/** Marks and points rise, lie in the audio, and no stretch between two is squeezed or drawn out too far. */
function checkBend(clip: AudioClip, at: string, say: Say): void {
  const { timeMarks, pitchLine } = clip;
  rising(pitchLine, (p) => p.at, `${at}.pitchLine`, "at", say);
  rising(timeMarks, (m) => m.at, `${at}.timeMarks`, "at", say);
  timeMarks.forEach((mark, i) => {
    const before = timeMarks[i - 1] ?? { at: 0, to: 0 };
    const [own, made] = [mark.at - before.at, mark.to - before.to];
    if (mark.at === 0) say(`${at}.timeMarks[${i}].at`, "the beginning of the audio is held by itself");
    else if (made + 1 < own * LEAST_STRETCH || made - 1 > own * MOST_STRETCH)
      say(
        `${at}.timeMarks[${i}].to`,
        `stretches ${own} frames to ${made}: from a quarter to four times as long is possible`,
      );
  });
}

/** What is beyond a bound already, as old sessions may be, may stay so and become less. */
function bounded(
  items: readonly unknown[],
  before: readonly unknown[] | undefined,
  most: number,
  where: string,
  say: Say,
): void {
  if (items.length > most && items.length > (before?.length ?? 0))
    say(where, `there would be ${items.length}: at most ${most} can be`);
}

/** The session as a whole: lists within their bounds may together be more than anybody can hold. */
function checkSize(session: Session, before: Session | null, say: Say): void {
  const [now, was] = [sizeOf(session), before && sizeOf(before)];
  if (now.clips > MOST_CLIPS && now.clips > (was?.clips ?? 0))
    say("tracks", `there would be ${now.clips} clips: a session holds at most ${MOST_CLIPS}`);
  if (now.values > MOST_VALUES && now.values > (was?.values ?? 0))
    say("tracks", `there would be ${now.values} notes and points: a session holds at most ${MOST_VALUES}`);
}

function unique(items: readonly { readonly id: string }[], where: string, say: Say) {
  if (byId(items).size === items.length) return;
  const seen = new Set<string>();
  items.forEach((item, i) => {
    if (seen.has(item.id)) say(`${where}[${i}].id`, `"${item.id}" is used twice`);
    seen.add(item.id);
  });
}

function rising<T>(points: readonly T[], of: (point: T) => number, where: string, field: string, say: Say) {
  for (let i = 1; i < points.length; i++)
    if (of(points[i] as T) <= of(points[i - 1] as T))
      say(`${where}[${i}].${field}`, "does not come after the point before it");
}
