import type { Session, Track } from "../session/document";

/**
 * Tracks that rest, in sight, with nothing playing in their place: no track plays their print, as one right below them
 * does that plays nothing but prints. They may have been forgotten.
 */
export function forgotten({ tracks, assets }: Session): readonly Track[] {
  const printed = new Set(assets.flatMap((a) => (a.origin === "printed" ? [a.id] : [])));
  const replaced = new Set(tracks.flatMap((t) => t.printOf?.track ?? []));
  const isPrint = (track: Track | undefined): boolean =>
    track !== undefined &&
    track.clips.length > 0 &&
    track.clips.every((c) => c.kind === "audio" && printed.has(c.asset));
  return tracks.filter(
    (t, i) =>
      t.parked &&
      !t.hidden &&
      t.clips.length > 0 &&
      (t.kind === "audio" || t.kind === "instrument") &&
      !replaced.has(t.id) &&
      !isPrint(tracks[i + 1]),
  );
}
