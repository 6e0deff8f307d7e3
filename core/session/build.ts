import type { AudioClip, Device, NoteClip, Phrase, Send, Session, Track } from "./document";
import { SESSION_VERSION } from "./document";
import { emptySheet } from "../stems/sheet";

/** Shorthand for documents made by code: what is not said takes its plain value. */
export const makeTrack = (track: Pick<Track, "id" | "name" | "kind"> & Partial<Track>): Track => ({
  output: track.kind === "mix" ? null : "mix",
  clips: [], devices: [], sends: [], automation: [], faderDb: 0, pan: 0, mute: false, parked: false, frozen: null,
  ...track,
});

export const makeDevice = (id: string, type: string, params: Device["params"] = {}, key: string | null = null): Device => ({ id, type, on: true, params, key });

export const makeSend = (id: string, to: string, gainDb: number, position: Send["position"] = "after fader"): Send => ({ id, to, gainDb, position });

const noFade = { frames: 0, shape: "linear" } as const;

export const makeAudioClip = (clip: Pick<AudioClip, "id" | "asset" | "start" | "frames"> & Partial<AudioClip>): AudioClip => ({
  kind: "audio", name: clip.id, offset: 0, gainDb: 0, fadeIn: noFade, fadeOut: noFade, ...clip,
});

export const makeNoteClip = (id: string, phrase: Phrase, start: number, ticks = phrase.ticks): NoteClip => ({
  kind: "notes", id, name: phrase.name, phrase: phrase.id, start, offset: 0, ticks,
});

export const makeSession = (session: Partial<Session> & Pick<Session, "tracks">): Session => ({
  version: SESSION_VERSION,
  name: "Untitled",
  rate: 48000,
  tempo: [{ tick: 0, bpm: 120, shape: "hold" }],
  meter: [{ bar: 1, numerator: 4, denominator: 4 }],
  phrases: [],
  assets: [],
  sheet: emptySheet,
  ...session,
});
