import { declarationOf } from "../devices/catalogue";
import { makeDevice, makeTrack } from "./build";
import type { Device, Send, Session, Track } from "./document";
import type { Edit } from "./edits";
import type { Checked } from "./problem";
import { refuse } from "./problem";
import { mixOf, trackOf } from "./routing";
import { shownName } from "./names";

/** Kinds of tracks that can be added; a session has its one mix from the beginning. */
export type NewKind = Exclude<Track["kind"], "mix">;

const NAMES: Record<NewKind, string> = { audio: "Audio", instrument: "Instrument", group: "Group", return: "Return" };

/** The first name of a kind that no track bears: "Audio 1", "Audio 2". */
export function freeName(session: Session, base: string): string {
  const taken = new Set(session.tracks.map((t) => t.name));
  let n = 1;
  while (taken.has(`${base} ${n}`)) n++;
  return `${base} ${n}`;
}

/**
 * Adds an empty track below another (or above the mix), into the same group. An instrument track begins with a synth.
 */
export function addTrack(
  session: Session,
  kind: NewKind,
  below: string | null,
  newId: () => string,
): { readonly id: string; readonly edits: readonly Edit[] } {
  const id = newId();
  const mix = mixOf(session);
  const neighbour = session.tracks.find((t) => t.id === below && t.kind !== "mix");
  const track = makeTrack({
    id,
    kind,
    name: freeName(session, NAMES[kind]),
    output: kind === "return" || kind === "group" ? mix.id : (neighbour?.output ?? mix.id),
    devices: kind === "instrument" ? [makeDevice(newId(), "synth")] : [],
  });
  const index = neighbour ? session.tracks.indexOf(neighbour) + 1 : session.tracks.indexOf(mix);
  return { id, edits: [{ do: "add", in: "tracks", item: { ...track }, index }] };
}

/**
 * Removes tracks and everything that pointed at them: what ran into a removed group runs on into where the group ran,
 * sends to a removed return go with their automation, keys are let go, stems lose them as sources.
 */
export function removeTracks(session: Session, ids: readonly string[]): Checked<readonly Edit[]> {
  const gone = new Set(ids);
  if (gone.has(mixOf(session).id)) return refuse("tracks", "the mix stays: everything runs into it");
  const edits: Edit[] = [];
  const onward = (id: string | null): string | null =>
    id !== null && gone.has(id) ? onward(trackOf(session, id).output) : id;
  for (const track of session.tracks) {
    if (gone.has(track.id)) continue;
    if (track.output !== null && gone.has(track.output))
      edits.push({ do: "set", in: "tracks", id: track.id, patch: { output: onward(track.output) } });
    for (const send of track.sends) if (gone.has(send.to)) edits.push(...removeSend(track, send.id));
    for (const device of track.devices)
      if (device.key !== null && gone.has(device.key))
        edits.push({ do: "set", in: "devices", track: track.id, id: device.id, patch: { key: null } });
  }
  for (const row of session.sheet.rows) {
    const sources = row.sources.filter((s) => !gone.has(s));
    if (sources.length === row.sources.length) continue;
    edits.push(
      sources.length === 0
        ? { do: "remove", in: "rows", id: row.id }
        : { do: "set", in: "rows", id: row.id, patch: { sources } },
    );
  }
  for (const id of gone) edits.push({ do: "remove", in: "tracks", id });
  return { ok: true, value: edits };
}

/** A copy of a track below it, with ids of its own throughout; it is not frozen, as a freeze belongs to one track. */
export function duplicateTrack(
  session: Session,
  id: string,
  newId: () => string,
): Checked<{ readonly id: string; readonly edits: readonly Edit[] }> {
  const track = trackOf(session, id);
  if (track.kind === "mix") return refuse("tracks", "a session has exactly one mix");
  const ids = new Map<string, string>();
  const fresh = (old: string) => {
    const made = ids.get(old) ?? newId();
    ids.set(old, made);
    return made;
  };
  const copy: Track = {
    ...track,
    id: fresh(track.id),
    name: `${shownName(track)} copy`,
    frozen: null,
    devices: track.devices.map((d) => ({ ...d, id: fresh(d.id) })),
    sends: track.sends.map((s) => ({ ...s, id: fresh(s.id) })),
    automation: track.automation.map((a) => ({ ...a, id: fresh(a.id), of: a.of === null ? null : fresh(a.of) })),
  };
  return {
    ok: true,
    value: {
      id: copy.id,
      edits: [{ do: "add", in: "tracks", item: { ...copy }, index: session.tracks.indexOf(track) + 1 }],
    },
  };
}

/** Puts tracks into a new group that stands below the last of them (streams run down) and runs where the first ran. */
export function groupTracks(
  session: Session,
  ids: readonly string[],
  newId: () => string,
): Checked<{ readonly id: string; readonly edits: readonly Edit[] }> {
  const tracks = session.tracks.filter((t) => ids.includes(t.id) && t.kind !== "mix");
  const last = tracks.at(-1);
  if (!last) return refuse("tracks", "select the tracks that the group is to hold");
  const id = newId();
  const inside = new Set(tracks.map((t) => t.id));
  // A track inside a group that comes along stays inside it.
  const moved = tracks.filter((t) => t.output === null || !inside.has(t.output));
  const group = makeTrack({
    id,
    kind: "group",
    name: freeName(session, NAMES.group),
    output: moved[0]?.output ?? mixOf(session).id,
  });
  return {
    ok: true,
    value: {
      id,
      edits: [
        { do: "add", in: "tracks", item: { ...group }, index: session.tracks.indexOf(last) + 1 },
        ...moved.map((t): Edit => ({ do: "set", in: "tracks", id: t.id, patch: { output: id } })),
      ],
    },
  };
}

/**
 * A device at its defaults, at a place of a track's chain (the end, when none is said). Instruments are exchanged,
 * effects are put in.
 */
export function addDevice(
  track: Track,
  type: string,
  newId: () => string,
  index = track.devices.length,
): Checked<readonly Edit[]> {
  const declaration = declarationOf(type);
  if (!declaration) return refuse("type", `"${type}" is not installed here`);
  const device: Device = makeDevice(newId(), type);
  if (declaration.role === "instrument") {
    const old = track.devices[0];
    if (track.kind !== "instrument" || !old)
      return refuse("type", `${declaration.name} is an instrument: it plays on an instrument track`);
    // One step holds both: an instrument track is never without an instrument once the step is whole.
    return {
      ok: true,
      value: [
        ...removeDevice(track, old.id),
        { do: "add", in: "devices", track: track.id, item: { ...device }, index: 0 },
      ],
    };
  }
  return {
    ok: true,
    value: [
      {
        do: "add",
        in: "devices",
        track: track.id,
        item: { ...device },
        index: Math.max(track.kind === "instrument" ? 1 : 0, index),
      },
    ],
  };
}

/** A device and the automation that moves it. */
export const removeDevice = (track: Track, id: string): readonly Edit[] => [
  ...removeLanes(track, "param", id),
  { do: "remove", in: "devices", track: track.id, id },
];

/** Moves an effect along its chain; an instrument stays first. */
export function moveDevice(track: Track, id: string, index: number): readonly Edit[] {
  const from = track.devices.findIndex((d) => d.id === id);
  const first = track.kind === "instrument" ? 1 : 0;
  const to = Math.max(first, Math.min(track.devices.length - 1, index));
  return from < first || from === to ? [] : [{ do: "move", in: "devices", track: track.id, id, index: to }];
}

/** A send to a return at -12 dB, after the fader: quiet enough not to jump out. */
export const addSend = (track: Track, to: string, newId: () => string): readonly Edit[] => {
  const send: Send = { id: newId(), to, gainDb: -12, position: "after fader" };
  return [{ do: "add", in: "sends", track: track.id, item: { ...send }, index: track.sends.length }];
};

export const removeSend = (track: Track, id: string): readonly Edit[] => [
  ...removeLanes(track, "send", id),
  { do: "remove", in: "sends", track: track.id, id },
];

const removeLanes = (track: Track, target: "param" | "send", of: string): readonly Edit[] =>
  track.automation
    .filter((a) => a.target === target && a.of === of)
    .map((a): Edit => ({ do: "remove", in: "automation", track: track.id, id: a.id }));
