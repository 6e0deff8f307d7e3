import isEqual from "fast-deep-equal";
import type { Edit, Step } from "../session/edits";
import type { Clip, Session, Track } from "../session/document";
import { mixOf } from "../session/routing";
import { tempoMap } from "../time/tempo";
import type { Frames } from "../units";
import type { Answering } from "./answers";

/**
 * The tracks of an opened session laid on another one, above its mix, in one step. Recordings stand as far behind
 * `frame` as they stood behind their beginning; notes stand in bars. `withTempo`: tempo and meter are taken over, which
 * moves what is placed in bars. `muted`: nothing of it sounds until it is unmuted. `answering`: tracks, by their
 * ids in what was opened, that answer what was sent: each stands below that, muted, at a place of its own.
 */
export function layOnStep(
  session: Session,
  opened: Session,
  {
    frame,
    withTempo,
    muted,
    newId,
    answering = new Map(),
  }: {
    readonly frame: Frames;
    readonly withTempo: boolean;
    readonly muted: boolean;
    readonly newId: () => string;
    readonly answering?: ReadonlyMap<string, Answering>;
  },
): Step {
  const edits: Edit[] = [];
  const known = new Set(session.assets.map((a) => a.id));
  for (const asset of opened.assets) {
    if (known.has(asset.id)) continue;
    edits.push({ do: "add", in: "assets", item: { ...asset }, index: known.size });
    known.add(asset.id);
  }
  const instruments = instrumentsFor(session, opened, newId);
  for (const { item } of instruments.filter((i) => i.isNew))
    edits.push({ do: "add", in: "instruments", item: { ...item }, index: session.instruments.length });
  const named = new Map(instruments.map(({ of, item }) => [of, item.id]));
  const from = tempoMap(opened.tempo, opened.rate);
  const to = tempoMap(withTempo ? opened.tempo : session.tempo, session.rate);
  const shift = withTempo && frame === 0 ? 0 : to.toTicks(frame);
  const tickOf = (tick: number) => (withTempo && frame === 0 ? tick : to.toTicks(from.toFrames(tick) + frame));
  if (withTempo)
    edits.push({
      do: "set session",
      patch: { tempo: opened.tempo, meter: opened.meter, leadIn: opened.leadIn },
    });
  opened.phrases.forEach((phrase, i) =>
    edits.push({ do: "add", in: "phrases", item: { ...phrase }, index: session.phrases.length + i }),
  );
  const mix = mixOf(session).id;
  const otherMix = mixOf(opened).id;
  const placed = (clip: Clip): Clip =>
    clip.kind === "notes" ? { ...clip, start: clip.start + shift } : { ...clip, start: clip.start + frame };
  const tracks = opened.tracks
    .filter((t) => t.id !== otherMix)
    .map((track): Track => ({
      ...track,
      output: track.output === otherMix ? mix : track.output,
      devices: track.devices.map((d) =>
        d.instrument === null ? d : { ...d, instrument: named.get(d.instrument) ?? null },
      ),
      clips: answering.has(track.id)
        ? track.clips.flatMap((c) => movedTo(c, answering.get(track.id)?.at ?? 0))
        : track.clips.map(placed),
      automation: track.automation.map((a) => ({
        ...a,
        points: a.points.map((p) => ({ ...p, tick: tickOf(p.tick) })),
      })),
      mute: answering.has(track.id) || (muted && track.kind !== "group" && track.kind !== "return") ? true : track.mute,
    }));
  // All are there before anything runs into anything.
  const order = session.tracks.map((t) => t.id);
  tracks.forEach((track) => {
    const below = answering.get(track.id)?.below ?? null;
    const found = below === null ? -1 : order.indexOf(below);
    const index = found < 0 ? order.indexOf(mix) : found + 1;
    order.splice(index, 0, track.id);
    const bare = { ...track, output: mix, sends: [], automation: track.automation.filter((a) => a.target !== "send") };
    edits.push({ do: "add", in: "tracks", item: { ...bare }, index });
  });
  for (const track of tracks) {
    if (track.output !== mix) edits.push({ do: "set", in: "tracks", id: track.id, patch: { output: track.output } });
    track.sends.forEach((send, index) =>
      edits.push({ do: "add", in: "sends", track: track.id, item: { ...send }, index }),
    );
    const rides = track.automation.filter((a) => a.target === "send");
    rides.forEach((item, index) => {
      const before = track.automation.length - rides.length + index;
      edits.push({ do: "add", in: "automation", track: track.id, item: { ...item }, index: before });
    });
  }
  opened.markers.forEach((m, i) =>
    edits.push({
      do: "add",
      in: "markers",
      item: { id: newId(), name: m.name, tick: tickOf(m.tick) },
      index: session.markers.length + i,
    }),
  );
  return { label: `Take in ${opened.name}`.slice(0, 200), edits };
}

/** What each instrument of an opened session is here: the same, or one of its own where another has its id. */
const instrumentsFor = (session: Session, opened: Session, newId: () => string) =>
  opened.instruments.map((instrument) => {
    const known = session.instruments.find((i) => i.id === instrument.id);
    if (known && isEqual(known, instrument)) return { of: instrument.id, item: known, isNew: false };
    return { of: instrument.id, item: known ? { ...instrument, id: newId() } : instrument, isNew: true };
  });

/** A recording with its first frame at `at`; what would stand before the beginning is cut off. */
function movedTo(clip: Clip, at: Frames): readonly Clip[] {
  if (clip.kind !== "audio") return [clip];
  const cut = Math.max(0, -at);
  if (cut >= clip.frames) return [];
  return [{ ...clip, start: at + cut, offset: clip.offset + cut, frames: clip.frames - cut }];
}
