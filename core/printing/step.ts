import { makeAudioClip, makeTrack } from "../session/build";
import { cutAround } from "../session/clip-edits";
import type { Clip, Device, Session, Track } from "../session/document";
import type { Edit, Step } from "../session/edits";
import { membersOf, mixOf } from "../session/routing";
import type { TempoMap } from "../time/tempo";
import { tempoMap } from "../time/tempo";
import { movedOn, withMoves } from "./moves";
import { phraseOf, subjectOf } from "./members/family";
import { layerOf, padHasRoom, padsFrom } from "./members/pad";
import { placementsOf } from "./members/phrase";
import { stretchOf } from "./pieces";
import type { PrintPlan, Printed } from "./print";
import { isPart, parted } from "./slip";
import type { Slip } from "./slip";

/**
 * What a finished print changes in the session, as one step: its audio, the tracks, clips or layers that play it, and
 * what becomes of the source. The session may have changed since the plan was made: tracks that are gone get no print,
 * and are left alone.
 */
export function printStep(
  session: Session,
  { slip }: Pick<PrintPlan, "slip">,
  printed: readonly Printed[],
  newId: () => string,
): Step {
  const edits: Edit[] = [];
  const known = new Set(session.assets.map((a) => a.id));
  for (const { asset } of printed) {
    if (known.has(asset.id)) continue;
    edits.push({ do: "add", in: "assets", item: { ...asset }, index: known.size });
    known.add(asset.id);
  }
  const placed = printed.filter((p) => !p.file.apart);
  const name = printed.length === 1 ? (printed[0]?.asset.name ?? "") : `${printed.length} files`;
  const asked = { session, slip, tracks: [], tempo: tempoMap(session.tempo, session.rate), stretch: null };
  const own = subjectOf(slip).step?.(asked, placed, newId);
  if (own)
    return {
      label: `Merge a pad of ${session.tracks.find((t) => t.id === slip.tracks[0])?.name || "a kit"}`,
      edits: [...edits, ...own],
    };
  if (slip.placed === "pad") edits.push(...ontoPad(session, slip, placed, newId));
  if (slip.placed === "shelf" || slip.placed === "pad") return { label: `Print ${name}`, edits };
  const groups = new Map<string, Printed[]>();
  for (const p of placed) {
    const key = p.file.sources.join("/");
    groups.set(key, [...(groups.get(key) ?? []), p]);
  }
  const tempo = tempoMap(session.tempo, session.rate);
  const order = session.tracks.map((t) => t.id);
  const replaced = new Map<string, Successor>();
  for (const list of groups.values()) {
    const sources = (list[0]?.file.sources ?? []).flatMap((id) => session.tracks.find((t) => t.id === id) ?? []);
    const [source] = sources;
    if (!source) continue;
    if (slip.placed === "same track") {
      const cleared = clearedOf(session, source, slip, tempo, newId);
      edits.push(...cleared);
      const left =
        source.clips.length + cleared.reduce((n, e) => n + (e.do === "add" ? 1 : e.do === "remove" ? -1 : 0), 0);
      list
        .flatMap((p) => clipsOf(p, newId))
        .forEach((clip, i) =>
          edits.push({ do: "add", in: "clips", track: source.id, item: { ...clip }, index: left + i }),
        );
      continue;
    }
    const made = newTrack(
      session,
      sources,
      slip,
      list.flatMap((p) => clipsOf(p, newId)),
      list[0]?.asset.name ?? "Print",
      tempo,
      newId,
    );
    const track = { ...made, printOf: printOf(sources, slip, list) };
    const at = order.indexOf(source.id) + 1;
    order.splice(Math.min(at, order.length - (source.kind === "mix" ? 1 : 0)), 0, track.id);
    edits.push({ do: "add", in: "tracks", item: { ...track }, index: order.indexOf(track.id) });
    for (const s of sources) {
      edits.push(...afterwardsOf(session, s, slip, tempo, newId));
      if (slip.afterwards !== "keep live" && slip.tap !== "mix" && !isPart(slip, s))
        replaced.set(s.id, { track: track.id, beside: soundsOn(s, slip) });
    }
  }
  edits.push(...followers(session, replaced, slip));
  return { label: `Print ${name}`, edits };
}

/** Tracks and clips that edits put into a session; those of its new tracks, too. */
export function madeBy(edits: readonly Edit[]): {
  tracks: string[];
  clips: { track: string; clip: string }[];
} {
  const made: ReturnType<typeof madeBy> = { tracks: [], clips: [] };
  for (const edit of edits) {
    if (edit.do !== "add") continue;
    if (edit.in === "clips") made.clips.push({ track: edit.track, clip: edit.item.id });
    if (edit.in !== "tracks") continue;
    made.tracks.push(edit.item.id);
    made.clips.push(...edit.item.clips.map((c) => ({ track: edit.item.id, clip: c.id })));
  }
  return made;
}

const clipsOf = ({ file, asset }: Printed, newId: () => string): readonly Clip[] =>
  file.at.map((start) =>
    makeAudioClip({
      id: newId(),
      name: asset.name,
      asset: asset.id,
      start,
      frames: asset.frames,
      layered: file.layered,
    }),
  );

/** Prints become layers of pads, from the chosen one on, one each. */
function ontoPad(
  session: Session,
  { pad, channels }: Slip,
  printed: readonly Printed[],
  newId: () => string,
): readonly Edit[] {
  const device = session.tracks.find((t) => t.id === pad?.track)?.devices.find((d) => d.id === pad?.device);
  if (!pad || !device) return [];
  const pads = padsFrom(device, pad, printed.length, channels === "two mono");
  // A pad may have been filled while it was printed: what has no room lies on the shelf.
  const filled = printed.reduce<Device>((d, p, i) => {
    const onto = pads[i];
    return onto !== undefined && padHasRoom(d, onto) ? { ...d, layers: [...d.layers, layerOf(p, onto, newId)] } : d;
  }, device);
  return [{ do: "set", in: "devices", track: pad.track, id: device.id, patch: { layers: filled.layers } }];
}

/** The track that plays a print, and whether its source goes on sounding beside it. */
interface Successor {
  readonly track: string;
  readonly beside: boolean;
}

/** Whether something of a source is left when its print has taken its place. */
function soundsOn(source: Track, slip: Slip): boolean {
  const phrase = phraseOf(slip);
  return phrase !== null && placementsOf(source, phrase).length < source.clips.length;
}

/** The track that plays a print: it keeps what was not baked, so that it sounds the same. */
function newTrack(
  session: Session,
  sources: readonly Track[],
  slip: Slip,
  clips: readonly Clip[],
  name: string,
  tempo: TempoMap,
  newId: () => string,
): Track {
  const [source] = sources;
  const mix = mixOf(session);
  const plain = makeTrack({
    id: newId(),
    name,
    kind: "audio",
    clips,
    output: mix.id,
    // Beside a source that sounds on, or behind the mix chain, it would be heard twice.
    mute: slip.afterwards === "keep live" || slip.tap === "mix",
  });
  if (!source || slip.tap === "mix") return plain;
  const outputs = new Set(sources.map((s) => s.output));
  const into = slip.tap === "group" || outputs.size > 1 ? mix.id : (source.output ?? mix.id);
  if (sources.length > 1 || slip.tap === "group") return { ...plain, output: into };
  const sendIds = new Map(source.sends.map((s) => [s.id, newId()]));
  const sends = slip.returns ? [] : source.sends.map((s) => ({ ...s, id: sendIds.get(s.id) ?? newId() }));
  // What was ridden and is not in the print moves on, as automation does.
  const ridden = withMoves({ ...session, tracks: [source] }, slip.moves).tracks[0] ?? source;
  const lanes = (keep: readonly Track["automation"][number]["target"][]) =>
    ridden.automation
      .filter((a) => keep.includes(a.target) && (a.target !== "send" || !slip.returns))
      .map((a) => ({
        ...a,
        id: newId(),
        of: a.target === "send" && a.of !== null ? (sendIds.get(a.of) ?? null) : a.of,
      }));
  if (slip.tap === "channel")
    return {
      ...plain,
      output: into,
      sends,
      automation: [
        ...lanes(["send"]),
        ...movedOn(source, slip, stretchOf(session, slip, tempo)?.from ?? 0, tempo).map((a) => ({ ...a, id: newId() })),
      ],
    };
  const { live } = parted(source, slip);
  return {
    ...plain,
    output: into,
    sends,
    faderDb: source.faderDb,
    pan: source.pan,
    mute: plain.mute || source.mute,
    devices: live,
    automation: lanes(["fader", "pan", "mute", "send", "param"]).filter(
      (a) => a.target !== "param" || live.some((d) => d.id === a.of),
    ),
  };
}

/** Whose print a new track plays, where it is the whole of one source after its devices. */
function printOf(sources: readonly Track[], slip: Slip, list: readonly Printed[]): Track["printOf"] {
  const [source, second] = sources;
  const [print, more] = list;
  const isWhole =
    slip.tap === "devices" &&
    slip.before === null &&
    phraseOf(slip) === null &&
    slip.clips === null &&
    (slip.range.by === "zero" || slip.range.by === "own") &&
    slip.automation === "in" &&
    slip.moves.length === 0;
  const isExact =
    slip.depth === "32f" && slip.channels !== "mono" && slip.pass === "offline" && slip.tail === "measured";
  if (
    !source ||
    second ||
    !print ||
    more ||
    !isWhole ||
    !isExact ||
    (source.kind !== "audio" && source.kind !== "instrument")
  )
    return null;
  return { track: source.id, fingerprint: print.file.fingerprint, start: print.file.from };
}

function afterwardsOf(
  session: Session,
  source: Track,
  slip: Slip,
  tempo: TempoMap,
  newId: () => string,
): readonly Edit[] {
  // What passed the mix is placed muted, and its source sounds on.
  if (slip.afterwards === "keep live" || slip.tap === "mix") return [];
  const parks = slip.afterwards === "park" || slip.afterwards === "park and hide";
  const phrase = phraseOf(slip);
  if (phrase !== null && (soundsOn(source, slip) || !parks))
    return placementsOf(source, phrase).map((c): Edit => ({ do: "remove", in: "clips", track: source.id, id: c.id }));
  if (parks || source.kind === "group" || source.kind === "return") {
    // With its returns, a group's print has in it all that its members send, so they rest with it; without, they go on
    // sending.
    const resting = [source, ...(slip.returns && source.kind === "group" ? membersOf(session, source) : [])];
    return resting.map((t): Edit => ({
      do: "set",
      in: "tracks",
      id: t.id,
      patch: { parked: true, ...(slip.afterwards === "park and hide" ? { hidden: true } : {}) },
    }));
  }
  const thaw: readonly Edit[] = source.frozen
    ? [{ do: "set", in: "tracks", id: source.id, patch: { frozen: null } }]
    : [];
  return [...thaw, ...clearedOf(session, source, slip, tempo, newId)];
}

/** Takes off a track what a print has taken the place of: a stretch of it, or the clips that were chosen. */
function clearedOf(session: Session, source: Track, slip: Slip, tempo: TempoMap, newId: () => string): readonly Edit[] {
  const isChosen = (id: string) => slip.clips === null || slip.clips.includes(id);
  const stretch = stretchOf(session, slip, tempo);
  if (!stretch)
    return source.clips
      .filter((c) => isChosen(c.id))
      .map((c): Edit => ({ do: "remove", in: "clips", track: source.id, id: c.id }));
  const { edits, inside } = cutAround(
    [{ ...source, clips: source.clips.filter((c) => isChosen(c.id)) }],
    stretch.from,
    stretch.to,
    tempo,
    newId,
  );
  return [...edits, ...inside.map((ref): Edit => ({ do: "remove", in: "clips", track: ref.track, id: ref.clip }))];
}

/** Keys and stems that pointed at a source follow to the track that plays its print. */
function followers(session: Session, replaced: ReadonlyMap<string, Successor>, slip: Slip): readonly Edit[] {
  if (replaced.size === 0) return [];
  const edits: Edit[] = [];
  if (slip.tap === "clip" || slip.tap === "devices" || slip.tap === "channel") {
    for (const track of session.tracks)
      for (const device of track.devices) {
        const key = device.key === null ? undefined : replaced.get(device.key);
        if (key && !key.beside && !replaced.has(track.id))
          edits.push({ do: "set", in: "devices", track: track.id, id: device.id, patch: { key: key.track } });
      }
  }
  for (const row of session.sheet.rows) {
    if (!row.sources.some((s) => replaced.has(s))) continue;
    edits.push({
      do: "set",
      in: "rows",
      id: row.id,
      patch: {
        sources: [
          ...new Set(
            row.sources.flatMap((s) => {
              const next = replaced.get(s);
              return next ? (next.beside ? [s, next.track] : [next.track]) : [s];
            }),
          ),
        ],
      },
    });
  }
  return edits;
}
