import { isSum } from "../../engine/wiring";
import { piecesOf, together } from "../pieces";
import type { Member } from "./member";

/** What tracks play: all of it, or the clips that were chosen. */
export const clips: Member = {
  refusesTrack({ slip }, track) {
    if (slip.tap === "clip" && track.kind === "instrument") return { kind: "notes before the instrument" };
    if (slip.tap === "clip" && isSum(track)) return { kind: "no clips" };
    return !isSum(track) && track.clips.length === 0 ? { kind: "nothing on the track" } : null;
  },
  refuses: ({ slip }) => (slip.placed === "same track" && slip.tap !== "clip" ? [{ kind: "devices twice" }] : []),
  pieces: ({ session, tracks, slip, tempo }) => ({
    pieces: slip.together
      ? [together(session, tracks, slip, tempo)]
      : tracks.flatMap((track) => piecesOf(session, track, slip, tempo)),
    phrases: [],
  }),
};
