import { makeAudioClip, makeDevice, makeNoteClip, makeSend, makeSession, makeTrack } from "../../core/session/build";
import type { Session } from "../../core/session/document";
import { fillSheet } from "../../core/delivery/sheet";
import { noise } from "../../core/testing/listen";
import type { Fresh } from "./fresh";
import { keep } from "./fresh";

/**
 * Three seconds of everything the chain has: audio, two instruments, a group, a return, a key, a limiter on the mix.
 */
export async function smallSession(to: Fresh): Promise<Session> {
  const asset = await keep(to, "noise", noise(48000, 3, 0.3));
  const phrase = {
    id: "chord",
    name: "Chord",
    ticks: 1920,
    notes: [50, 57, 64].map((pitch, i) => ({ tick: i * 240, ticks: 900, pitch, velocity: 96 })),
  };
  const session = makeSession({
    name: "Small",
    assets: [asset],
    phrases: [phrase],
    tracks: [
      makeTrack({
        id: "surf",
        name: "Surf",
        kind: "audio",
        faderDb: -6,
        clips: [
          makeAudioClip({
            id: "s1",
            asset: asset.id,
            start: 4800,
            frames: 40000,
            fadeOut: { frames: 4800, shape: "S" },
          }),
        ],
        devices: [makeDevice("se", "eq", { lowDb: -4 })],
        sends: [makeSend("ss", "hall", -12)],
      }),
      makeTrack({
        id: "pad",
        name: "Pad",
        kind: "instrument",
        output: "air",
        pan: 0.2,
        clips: [makeNoteClip("p1", phrase, 0), makeNoteClip("p2", phrase, 1920)],
        devices: [
          makeDevice("ps", "synth", { unison: 5, oversample: 4, releaseS: 0.2 }),
          makeDevice("pc", "compressor", { thresholdDb: -30 }, "surf"),
        ],
      }),
      makeTrack({
        id: "bars",
        name: "Bars",
        kind: "instrument",
        output: "air",
        faderDb: -3,
        clips: [makeNoteClip("b1", phrase, 480)],
        devices: [makeDevice("bv", "bars", { decayS: 0.4 })],
        sends: [makeSend("bs", "hall", -9)],
      }),
      makeTrack({ id: "air", name: "Air", kind: "group", devices: [makeDevice("ae", "eq", { highDb: 2 })] }),
      makeTrack({ id: "hall", name: "Hall", kind: "return", devices: [makeDevice("hr", "reverb", { decayS: 0.5 })] }),
      makeTrack({ id: "mix", name: "Mix", kind: "mix", devices: [makeDevice("ml", "limiter", { ceilingDb: -1 })] }),
    ],
  });
  return { ...session, sheet: fillSheet(session) };
}

/** The session with one clip more on the surf, `seconds` from the beginning. */
export const withLateClip = (session: Session, seconds: number): Session => ({
  ...session,
  tracks: session.tracks.map((t) => {
    const [clip] = t.clips;
    if (t.id !== "surf" || clip?.kind !== "audio") return t;
    return { ...t, clips: [...t.clips, { ...clip, id: "late", start: seconds * session.rate, frames: 9600 }] };
  }),
});
