import type { Lost } from "../formats/sf2/instrument";

/** What a preset asks for and is not played, for people: what it changes, and what to do. */
export function sayLostOfInstrument({ what, which }: Pick<Lost, "what" | "which">): string {
  switch (what) {
    case "reverb send":
      return "Its own reverb is not played: send the track to a return with a reverb";
    case "chorus send":
      return "Its own chorus is not played: put a chorus on the track";
    case "modulator":
      return `A controller that moves ${which} is not played`;
    case "forced velocity":
      return "Zones with a velocity of their own follow the note's velocity";
    case "ROM sample":
      return `"${which}" lies in the memory of another device: its zones are silent`;
    case "sample missing":
      return `"${which}" is not in the file: its zones are silent`;
  }
}
