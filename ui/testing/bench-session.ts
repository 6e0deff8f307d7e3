import { makeAudioClip, makeDevice, makeNoteClip, makeSend, makeSession, makeTrack } from "../../core/session/build";
import { hashOf } from "../../core/testing/listen";
import { clockOf } from "../session/clock";

const phrase = { id: "p", name: "Phrase", ticks: 3840, notes: [] };
/** A small session with one of everything that the Bench draws. */
export const session = makeSession({
  assets: [{ id: hashOf(1), name: "take", frames: 200000, rate: 48000, channels: 2, origin: "imported" }],
  phrases: [phrase],
  meter: [
    { bar: 1, numerator: 4, denominator: 4 },
    { bar: 2, numerator: 5, denominator: 4 },
  ],
  tracks: [
    makeTrack({
      id: "a",
      name: "A",
      kind: "audio",
      output: "g",
      sends: [makeSend("s", "r", -6)],
      clips: [
        makeAudioClip({
          id: "c",
          asset: hashOf(1),
          start: 48000,
          offset: 10000,
          frames: 96000,
          fadeIn: { frames: 20000, shape: "linear" },
          fadeOut: { frames: 20000, shape: "linear" },
        }),
      ],
    }),
    makeTrack({
      id: "i",
      name: "I",
      kind: "instrument",
      clips: [makeNoteClip("n", phrase, 960)],
      devices: [makeDevice("d", "bars"), makeDevice("k", "compressor", {}, "a"), makeDevice("x", "from-elsewhere")],
    }),
    makeTrack({ id: "g", name: "G", kind: "group" }),
    makeTrack({ id: "r", name: "R", kind: "return" }),
    makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
  ],
});
export const clock = clockOf(session);
