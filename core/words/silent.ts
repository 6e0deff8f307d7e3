import type { Silence } from "../printing/silent";

/** Why a print is silent, as the end of a sentence. */
export function saySilence(silence: Silence): string {
  switch (silence.why) {
    case "gone":
      return "the track was removed";
    case "parked":
      return "the track is parked";
    case "empty":
      return "there are no clips on it";
    case "nothing in range":
      return "no clip lies in the printed range";
    case "clips muted":
      return "its clips in the range are muted";
    case "members muted":
      return "every track in it is muted or parked";
    case "muted":
      return "the track is muted";
    case "fader down":
      return "its fader is all the way down";
    case "group muted":
      return `its group "${silence.group}" is muted`;
    case "group fader down":
      return `the fader of its group "${silence.group}" is all the way down`;
    case "instrument off":
      return "its instrument is switched off";
    case "devices":
      return "its devices let no sound through";
  }
}
