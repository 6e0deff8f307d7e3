import { isPlaced } from "../../session/clips";
import type { NestClip, Session } from "../../session/document";
import type { TempoMap } from "../../time/tempo";
import type { Frames } from "../../units";
import type { Why } from "../refusals";
import type { Member } from "./member";

/** A stretch whose end and beginning are made for one another. */
export const loop: Member = {
  refuses({ slip: { seam }, stretch }) {
    if (seam.by === "none") return [];
    if (!stretch) return [{ kind: "loop without a range" }];
    if (seam.by !== "crossfade") return [];
    const whys: Why[] = [];
    if (stretch.from < seam.frames) whys.push({ kind: "too little before the loop" });
    if (seam.frames > stretch.to - stretch.from) whys.push({ kind: "crossfade longer than the loop" });
    return whys;
  },
  differs: ({ slip }) => (slip.seam.by === "none" ? null : { kind: "loop" }),
};

/**
 * The session with nothing placed outside a stretch, so that nothing rings into it: audio seen through a nest with the
 * stretch's edges, notes of clips cut to it.
 */
export function withinOnly(session: Session, from: Frames, to: Frames, tempo: TempoMap): Session {
  const [first, last] = [Math.round(tempo.toTicks(from)), Math.round(tempo.toTicks(to))];
  return {
    ...session,
    tracks: session.tracks.map((track) => {
      const placed = track.clips.filter(isPlaced);
      const notes = track.clips.flatMap((c) => {
        if (c.kind !== "notes") return [];
        const [start, end] = [Math.max(c.start, first), Math.min(c.start + c.ticks, last)];
        return end <= start ? [] : [{ ...c, start, offset: c.offset + start - c.start, ticks: end - start }];
      });
      const window: NestClip = {
        kind: "nest",
        id: "window",
        name: "",
        start: from,
        frames: to - from,
        offset: from,
        gainDb: 0,
        fadeIn: { frames: 0, shape: "linear" },
        fadeOut: { frames: 0, shape: "linear" },
        crossfade: false,
        layered: false,
        muted: false,
        children: placed,
      };
      return { ...track, clips: placed.length > 0 ? [window, ...notes] : notes };
    }),
  };
}
