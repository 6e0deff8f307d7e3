import { declarationOf } from "../devices/catalogue";
import type { Device, Session, Track } from "./document";
import type { Problem } from "./problem";
import { findCycle } from "./routing";

/** What a schema cannot say: references that exist, one mix, rising maps, parameters in range, no cycles. */
export function checkSession(session: Session): readonly Problem[] {
  const problems: Problem[] = [];
  const say = (where: string, what: string) => void problems.push({ where, what });

  if (session.tempo[0]?.tick !== 0) say("tempo[0].tick", "the tempo map starts at tick 0");
  rising(session.tempo.map((p) => p.tick), "tempo", "tick", say);
  if (session.meter[0]?.bar !== 1) say("meter[0].bar", "the meter map starts at bar 1");
  rising(session.meter.map((p) => p.bar), "meter", "bar", say);

  unique(session.tracks, "tracks", say);
  unique(session.phrases, "phrases", say);
  unique(session.assets, "assets", say);
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
    else if (output.kind !== "group" && output.kind !== "mix") say(`${at}.output`, `"${output.name}" is neither a group nor the mix`);

    unique(track.clips, `${at}.clips`, say);
    unique(track.devices, `${at}.devices`, say);
    unique(track.sends, `${at}.sends`, say);
    unique(track.automation, `${at}.automation`, say);

    track.clips.forEach((clip, c) => {
      const where = `${at}.clips[${c}]`;
      if (clip.kind === "audio") {
        if (track.kind !== "audio") say(where, `audio does not play on ${withArticle(track.kind)} track`);
        const asset = assets.get(clip.asset);
        if (!asset) say(`${where}.asset`, "no such audio in the session");
        else {
          if (asset.rate !== session.rate) say(`${where}.asset`, `"${asset.name}" is at ${asset.rate} Hz, the session at ${session.rate} Hz`);
          if (clip.offset + clip.frames > asset.frames) say(`${where}.frames`, `reads to frame ${clip.offset + clip.frames}, the audio has ${asset.frames}`);
        }
        if (clip.fadeIn.frames + clip.fadeOut.frames > clip.frames) say(`${where}.fadeIn`, "the fades together are longer than the clip");
      } else {
        if (track.kind !== "instrument") say(where, `notes do not play on ${withArticle(track.kind)} track`);
        if (!phrases.has(clip.phrase)) say(`${where}.phrase`, "no such phrase in the session");
      }
    });
    track.devices.forEach((device, d) => checkDevice(track, device, d, `${at}.devices[${d}]`, tracks, say));
    if (track.kind === "instrument" && track.devices.length === 0) say(`${at}.devices`, "an instrument track starts with its instrument");
    track.sends.forEach((send, s) => {
      if (tracks.get(send.to)?.kind !== "return") say(`${at}.sends[${s}].to`, "a send goes to a return");
    });
    track.automation.forEach((lane, l) => {
      rising(lane.points.map((p) => p.tick), `${at}.automation[${l}].points`, "tick", say);
      const [low, high] = lane.target === "pan" ? [-1, 1] : [-144, 24];
      lane.points.forEach((p, k) => {
        if (p.value < low || p.value > high) say(`${at}.automation[${l}].points[${k}].value`, `is outside ${low} to ${high}`);
      });
    });
    if (track.frozen) {
      if (track.kind !== "audio" && track.kind !== "instrument") say(`${at}.frozen`, "only audio and instrument tracks freeze");
      const asset = assets.get(track.frozen.asset);
      if (!asset) say(`${at}.frozen.asset`, "no such audio in the session");
      else if (asset.rate !== session.rate) say(`${at}.frozen.asset`, `is at ${asset.rate} Hz, the session at ${session.rate} Hz`);
    }
  });
  session.sheet.rows.forEach((row, r) =>
    row.sources.forEach((source, s) => {
      const track = tracks.get(source);
      if (!track) say(`sheet.rows[${r}].sources[${s}]`, `there is no track "${source}"`);
      else if (track.kind === "mix") say(`sheet.rows[${r}].sources[${s}]`, "the mix is delivered as the reference mix, not as a stem");
    }),
  );
  if (session.sheet.from !== null && session.sheet.to !== null && session.sheet.to <= session.sheet.from) say("sheet.to", "the range ends before it starts");

  if (problems.length === 0) {
    const cycle = findCycle(session);
    if (cycle) say("tracks", `the signal would run in a circle: ${cycle.join(" → ")}`);
  }
  return problems;
}

type Say = (where: string, what: string) => void;

const withArticle = (kind: Track["kind"]) => (kind === "audio" || kind === "instrument" ? `an ${kind}` : `a ${kind}`);

function checkDevice(track: Track, device: Device, index: number, at: string, tracks: ReadonlyMap<string, Track>, say: Say) {
  const declaration = declarationOf(device.type);
  if (!declaration) return;
  const first = track.kind === "instrument" && index === 0;
  if (declaration.role === "instrument" && !first) say(`${at}.type`, `${declaration.name} is an instrument: it stands first on an instrument track`);
  if (declaration.role === "effect" && first) say(`${at}.type`, `${declaration.name} is an effect: an instrument track starts with an instrument`);
  const known = new Map(declaration.params.map((p) => [p.id, p]));
  for (const [id, value] of Object.entries(device.params)) {
    const param = known.get(id);
    if (!param) say(`${at}.params.${id}`, `${declaration.name} has no such parameter`);
    else if (value < param.min || value > param.max) say(`${at}.params.${id}`, `is outside ${param.min} to ${param.max} ${param.unit}`.trimEnd());
  }
  if (device.key !== null) {
    if (!declaration.takesKey) say(`${at}.key`, `${declaration.name} takes no key`);
    else if (!tracks.has(device.key)) say(`${at}.key`, `there is no track "${device.key}"`);
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
    if (before !== undefined && value <= before) say(`${where}[${i}].${field}`, "does not come after the point before it");
  });
}
