import { makeSession, makeTrack } from "./build";
import type { Session } from "./document";

/** What has to be known before a session can begin. */
export interface Beginning {
  readonly name: string;
  readonly rate: Session["rate"];
  readonly bpm: number;
  readonly numerator: number;
  readonly denominator: Session["meter"][number]["denominator"];
}

/** A session with nothing in it but the mix. */
export const newSession = ({ name, rate, bpm, numerator, denominator }: Beginning): Session =>
  makeSession({
    name,
    rate,
    tempo: [{ tick: 0, bpm, shape: "hold" }],
    meter: [{ bar: 1, numerator, denominator }],
    tracks: [makeTrack({ id: "mix", name: "Mix", kind: "mix" })],
  });
