import { declarationOf } from "../../core/devices/catalogue";
import { clipSpan } from "../../core/session/clips";
import type { Session, Track } from "../../core/session/document";
import type { ActionContext } from "../actions/action";
import { barText, clockOf } from "../session/clock";
import { pathOf } from "../session/screens";
import { trackName, trackStates } from "../session/track-state";
import { useBenchView } from "../timeline/view";
import type { Findable } from "./match";

/** A thing of a session that the palette leads to. */
export interface Place extends Findable {
  readonly id: string;
  /** What it is and where, beside its name. */
  readonly about: string;
  readonly go: (context: ActionContext) => void;
}

/** Places of a kind that are offered at most: sessions have thousands of clips. */
const MOST_OF_A_KIND = 40;

const KIND_WORDS: Readonly<Record<Track["kind"], readonly string[]>> = {
  audio: ["audio track"],
  instrument: ["instrument track", "midi track"],
  group: ["group", "bus"],
  return: ["return", "aux", "effect"],
  mix: ["mix", "master"],
};

/** What can be set on the stem sheet, in the order of the sheet. */
const SHEET_SETTINGS: readonly (readonly [label: string, ...synonyms: string[]])[] = [
  ["Range of the stems", "from bar", "to bar", "start", "end"],
  ["Tail of the stems", "reverb tail", "ring out"],
  ["Ends", "trim", "equal length"],
  ["Silent bars in front", "lead-in", "count-in", "pre-roll"],
  ["Format", "wav", "aiff", "flac", "mp3"],
  ["Rate", "sample rate", "44.1", "48", "96 kHz"],
  ["Depth", "bit depth", "16 bit", "24 bit", "float"],
  ["Dither", "16 bit"],
  ["File names", "naming", "tokens", "pattern"],
  ["Receiver", "who gets it", "profile"],
  ["Notes for the receiver", "comment", "message"],
];

/** What of a session has a name that answers a search: tracks, clips, devices, markers, ranges, audio, settings. */
export function placesOf(session: Session, search: string): readonly Place[] {
  const words = search
    .toLowerCase()
    .split(/\s+/)
    .filter((w) => w.length > 1);
  if (words.length === 0) return [];
  const isSought = (...texts: readonly string[]) => {
    const all = texts.join(" ").toLowerCase();
    return words.some((w) => all.includes(w));
  };
  const some = <T>(list: Iterable<T>, isOne: (of: T) => boolean): readonly T[] => {
    const found: T[] = [];
    for (const of of list) {
      if (found.length === MOST_OF_A_KIND) break;
      if (isOne(of)) found.push(of);
    }
    return found;
  };
  const clock = clockOf(session);
  const states = trackStates(session);
  const clips = session.tracks.flatMap((track) => track.clips.map((clip) => ({ track, clip })));
  const devices = session.tracks.flatMap((track) =>
    track.devices.map((device) => ({ track, device, name: declarationOf(device.type)?.name ?? device.type })),
  );
  return [
    ...some(session.tracks, (t) => isSought(trackName(t), t.kind)).map((track): Place => ({
      id: `track ${track.id}`,
      group: "Tracks of this session",
      label: trackName(track),
      synonyms: KIND_WORDS[track.kind],
      about: `${track.kind} track, ${states.get(track.id) ?? "live"}`,
      go: (context) => showTracks(context, [track.id]),
    })),
    ...some(clips, ({ clip }) => isSought(clip.name)).map(({ track, clip }): Place => ({
      id: `clip ${clip.id}`,
      group: "Clips",
      label: clip.name,
      synonyms: ["clip"],
      about: `clip on ${trackName(track)}, bar ${barText(clock, clipSpan(clip, clock.tempo).from)}`,
      go: (context) => {
        showTracks(context, [track.id]);
        context.session.getState().selectClip({ track: track.id, clip: clip.id });
        const { from, to } = clipSpan(clip, clock.tempo);
        useBenchView.getState().look(from, to);
      },
    })),
    ...some(devices, ({ name, device }) => isSought(name, device.type)).map(({ track, device, name }): Place => ({
      id: `device ${track.id} ${device.id}`,
      group: "Devices",
      label: name,
      synonyms: ["device", "effect", "insert", device.type],
      about: `on ${trackName(track)}${device.on ? "" : ", off"}`,
      go: (context) => {
        showTracks(context, [track.id]);
        focusSoon(`[data-device="${CSS.escape(device.id)}"]`);
      },
    })),
    ...some(session.markers, (m) => isSought(m.name, "marker")).map((marker): Place => ({
      id: `marker ${marker.id}`,
      group: "Markers and ranges",
      label: marker.name,
      synonyms: ["marker"],
      about: `marker, bar ${barText(clock, clock.tempo.toFrames(marker.tick))}`,
      go: (context) => {
        showTracks(context, null);
        context.playback.getState().seek(Math.round(clock.tempo.toFrames(marker.tick)));
      },
    })),
    ...some(session.ranges, (r) => isSought(r.name, "range")).map((range): Place => ({
      id: `range ${range.id}`,
      group: "Markers and ranges",
      label: range.name,
      synonyms: ["range", "section"],
      about: `saved range, bar ${barText(clock, clock.tempo.toFrames(range.from))}`,
      go: (context) => {
        showTracks(context, null);
        const [from, to] = [range.from, range.to].map((tick) => Math.round(clock.tempo.toFrames(tick))) as [
          number,
          number,
        ];
        context.playback.getState().mark({ from, to });
        useBenchView.getState().look(from, to);
      },
    })),
    ...some(session.assets, (a) => isSought(a.name)).map((asset): Place => ({
      id: `asset ${asset.id}`,
      group: "Shelf",
      label: asset.name,
      synonyms: ["audio", "file", asset.origin],
      about: `on the shelf, ${asset.origin}`,
      go: ({ open, session: store }) => open(pathOf(store.getState().id, "/shelf")),
    })),
    ...SHEET_SETTINGS.filter((texts) => isSought(...texts)).map(([label, ...synonyms]): Place => ({
      id: `setting ${label}`,
      group: "Settings of the stems",
      label,
      synonyms,
      about: "on the stem sheet",
      go: ({ open, session: store }) => open(pathOf(store.getState().id, "/stems")),
    })),
  ];
}

/** Opens the Bench with tracks selected; null: as they are. */
function showTracks({ open, session }: ActionContext, tracks: readonly string[] | null): void {
  const { id, select } = session.getState();
  if (tracks) select(tracks);
  open(pathOf(id, ""));
}

/** Focuses an element that the screen is about to show. */
function focusSoon(selector: string): void {
  setTimeout(() => document.querySelector<HTMLElement>(selector)?.focus(), 200);
}
