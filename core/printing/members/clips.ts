import { isSum } from "../../engine/wiring";
import { piecesOf, together } from "../pieces";
import type { Member } from "./member";

/** What tracks play: all of it, or the clips that were chosen. */
export const clips: Member = {
  refusesTrack({ slip }, track) {
    if (slip.tap === "clip" && track.kind === "instrument")
      return "notes are no sound before their instrument: print it after its devices";
    if (slip.tap === "clip" && isSum(track)) return "there are no clips on it";
    return !isSum(track) && track.clips.length === 0 ? "there is nothing on the track" : null;
  },
  refuses: ({ slip }) =>
    slip.placed === "same track" && slip.tap !== "clip"
      ? [
          "on its own track the print would go through the devices a second time: print it at the clips, or on a new track",
        ]
      : [],
  pieces: ({ session, tracks, slip, tempo }) => ({
    pieces: slip.together
      ? [together(session, tracks, slip, tempo)]
      : tracks.flatMap((track) => piecesOf(session, track, slip, tempo)),
    phrases: [],
  }),
};
