import { declarationOf } from "../devices/catalogue";
import { stretchedFrames } from "./clips";
import type { Asset, Automation, Clip, Device, Session, Track } from "./document";
import type { Problem } from "./problem";
import { findCycle } from "./routing";

/** What a schema cannot say: references that exist, one mix, rising maps, parameters in range, no cycles. */
export function checkSession(session: Session): readonly Problem[] {
  const problems: Problem[] = [];
  const say = (where: string, what: string) => void problems.push({ where, what });

  if (session.tempo[0]?.tick !== 0) say("tempo[0].tick", "the tempo map starts at tick 0");
  rising(
    session.tempo.map((p) => p.tick),
    "tempo",
    "tick",
    say,
  );
  if (session.meter[0]?.bar !== 1) say("meter[0].bar", "the meter map starts at bar 1");
  rising(
    session.meter.map((p) => p.bar),
    "meter",
    "bar",
    say,
  );

  unique(session.tracks, "tracks", say);
  unique(session.phrases, "phrases", say);
  unique(session.assets, "assets", say);
  unique(session.markers, "markers", say);
  unique(session.ranges, "ranges", say);
  session.ranges.forEach((r, i) => {
    if (r.to <= r.from) say(`ranges[${i}].to`, "the range ends before it starts");
  });
  unique(session.sheet.rows, "sheet.rows", say);

  const tracks = new Map(session.tracks.map((t) => [t.id, t]));
  const phrases = new Set(session.phrases.map((p) => p.id));
  const assets = new Map(session.assets.map((a) => [a.id, a]));
  if (session.tracks.filter((t) => t.kind === "mix").length !== 1) say("tracks", "a session has exactly one mix");

  session.tracks.forEach((track, i) => {
    const at = `tracks[${i}]`;
    const output = track.output === null ? null : tracks.get(track.output);
    if (track.kind === "mix") {
      if (track.output !== null) say(`${at}.output`, "the mix has no output");
    } else if (!output) say(`${at}.output`, `there is no track "${track.output ?? ""}"`);
    else if (output.kind !== "group" && output.kind !== "mix")
      say(`${at}.output`, `"${output.name}" is neither a group nor the mix`);

    unique(track.devices, `${at}.devices`, say);
    unique(track.sends, `${at}.sends`, say);
    unique(track.automation, `${at}.automation`, say);

    const clips = (list: readonly Clip[], where: string) => {
      unique(list, where, say);
      list.forEach((clip, c) =>
        checkClip(clip, track.kind, `${where}[${c}]`, { session, assets, phrases, tracks, say }),
      );
    };
    clips(track.clips, `${at}.clips`);
    unique(track.takes, `${at}.takes`, say);
    track.takes.forEach((take, k) => clips(take.clips, `${at}.takes[${k}].clips`));
    track.devices.forEach((device, d) =>
      checkDevice(device, track.kind === "instrument" && d === 0, `${at}.devices[${d}]`, {
        session,
        assets,
        phrases,
        tracks,
        say,
      }),
    );
    if (track.kind === "instrument" && track.devices.length === 0)
      say(`${at}.devices`, "an instrument track starts with its instrument");
    track.sends.forEach((send, s) => {
      if (tracks.get(send.to)?.kind !== "return") say(`${at}.sends[${s}].to`, "a send goes to a return");
    });
    const lanes = new Set<string>();
    track.automation.forEach((lane, l) => {
      const where = `${at}.automation[${l}]`;
      const name = `${lane.target}/${lane.of ?? ""}/${lane.param ?? ""}`;
      if (lanes.has(name)) say(where, "the same control is automated twice");
      lanes.add(name);
      rising(
        lane.points.map((p) => p.tick),
        `${where}.points`,
        "tick",
        say,
      );
      const limits = laneLimits(track, lane, where, say);
      lane.points.forEach((p, k) => {
        if (limits && (p.value < limits.min || p.value > limits.max))
          say(`${where}.points[${k}].value`, `is outside ${limits.min} to ${limits.max}`);
      });
    });
    if (track.frozen) {
      if (track.kind !== "audio" && track.kind !== "instrument")
        say(`${at}.frozen`, "only audio and instrument tracks freeze");
      const asset = assets.get(track.frozen.asset);
      if (!asset) say(`${at}.frozen.asset`, "no such audio in the session");
      else if (asset.rate !== session.rate)
        say(`${at}.frozen.asset`, `is at ${asset.rate} Hz, the session at ${session.rate} Hz`);
    }
  });
  session.sheet.rows.forEach((row, r) =>
    row.sources.forEach((source, s) => {
      const track = tracks.get(source);
      if (!track) say(`sheet.rows[${r}].sources[${s}]`, `there is no track "${source}"`);
      else if (track.kind === "mix")
        say(`sheet.rows[${r}].sources[${s}]`, "the mix is delivered as the reference mix, not as a stem");
    }),
  );
  if (session.sheet.from !== null && session.sheet.to !== null && session.sheet.to <= session.sheet.from)
    say("sheet.to", "the range ends before it starts");

  if (problems.length === 0) {
    const cycle = findCycle(session);
    if (cycle) say("tracks", `the signal would run in a circle: ${cycle.join(" → ")}`);
  }
  return problems;
}

type Say = (where: string, what: string) => void;

const withArticle = (kind: Track["kind"]) => (kind === "audio" || kind === "instrument" ? `an ${kind}` : `a ${kind}`);

interface Around {
  readonly session: Session;
  readonly tracks: ReadonlyMap<string, Track>;
  readonly assets: ReadonlyMap<string, Asset>;
  readonly phrases: ReadonlySet<string>;
  readonly say: Say;
}

function checkClip(clip: Clip, kind: Track["kind"], at: string, around: Around) {
  const { session, assets, phrases, say } = around;
  if (clip.kind === "notes") {
    if (kind !== "instrument") say(at, `notes do not play on ${withArticle(kind)} track`);
    if (!phrases.has(clip.phrase)) say(`${at}.phrase`, "no such phrase in the session");
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
  const asset = assets.get(clip.asset);
  if (!asset) say(`${at}.asset`, "no such audio in the session");
  else {
    if (asset.rate !== session.rate)
      say(`${at}.asset`, `"${asset.name}" is at ${asset.rate} Hz, the session at ${session.rate} Hz`);
    const frames = stretchedFrames(asset.frames, clip.stretch);
    if (clip.offset + clip.frames > frames)
      say(`${at}.frames`, `reads to frame ${clip.offset + clip.frames}, the audio has ${frames}`);
  }
  unique(clip.process, `${at}.process`, say);
  clip.process.forEach((device, d) => {
    checkDevice(device, false, `${at}.process[${d}]`, around);
    if (device.key !== null) say(`${at}.process[${d}].key`, "a clip's device takes no key");
  });
}

function checkDevice(device: Device, first: boolean, at: string, { assets, tracks, say }: Around) {
  unique(device.layers, `${at}.layers`, say);
  device.layers.forEach((layer, l) => {
    if (!assets.has(layer.asset)) say(`${at}.layers[${l}].asset`, "no such audio in the session");
    if (layer.softest > layer.loudest) say(`${at}.layers[${l}].softest`, "is above the loudest");
  });
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

/** The values a lane may take, or null when it moves something of an absent device, whose limits nobody knows. */
function laneLimits(
  track: Track,
  lane: Automation,
  at: string,
  say: Say,
): { readonly min: number; readonly max: number } | null {
  switch (lane.target) {
    case "pan":
      return { min: -1, max: 1 };
    case "mute":
      return { min: 0, max: 1 };
    case "fader":
      return { min: -144, max: 24 };
    case "send":
      if (!track.sends.some((s) => s.id === lane.of)) say(`${at}.of`, "there is no such send on the track");
      return { min: -144, max: 24 };
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

function unique(items: readonly { readonly id: string }[], where: string, say: Say) {
  const seen = new Set<string>();
  items.forEach((item, i) => {
    if (seen.has(item.id)) say(`${where}[${i}].id`, `"${item.id}" is used twice`);
    seen.add(item.id);
  });
}

function rising(values: readonly number[], where: string, field: string, say: Say) {
  values.forEach((value, i) => {
    const before = values[i - 1];
    if (before !== undefined && value <= before)
      say(`${where}[${i}].${field}`, "does not come after the point before it");
  });
}
