import { makeDevice, makeNoteClip, makeSession, makeTrack } from "./build";
import type { Device, Session } from "./document";

/** A second at 120 beats a minute. */
const TICKS_A_SECOND = 1920;

export interface TriedNote {
  readonly pitch: number;
  readonly velocity: number;
  readonly heldS: number;
}

/** A session in which a device that plays an instrument plays one note, and nothing else is. */
export function noteSession(
  { rate, assets, instruments }: Pick<Session, "rate" | "assets" | "instruments">,
  device: Device,
  { pitch, velocity, heldS }: TriedNote,
): Session {
  const ticks = Math.max(1, Math.round(heldS * TICKS_A_SECOND));
  const phrase = { id: "note", name: "Note", ticks, notes: [{ tick: 0, ticks, pitch, velocity }] };
  return makeSession({
    ...{ rate, assets, instruments, phrases: [phrase] },
    tracks: [
      makeTrack({
        ...{ id: "tried", name: "Tried", kind: "instrument", output: "mix" },
        devices: [{ ...makeDevice("device", device.type), params: device.params, instrument: device.instrument }],
        clips: [makeNoteClip("clip", phrase, 0)],
      }),
      makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
    ],
  });
}
