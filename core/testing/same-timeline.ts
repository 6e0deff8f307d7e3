import type { Timeline, TimelineMedia } from "../timeline/timeline";

/**
 * A timeline with everything named by what it is instead of by ids that a file may choose anew, so that two can be held
 * against each other.
 */
export const alike = (timeline: Timeline): unknown => rounded(named(timeline));

/** Levels and pans, to a ten thousandth; places are whole numbers and stay what they are. */
function rounded(value: unknown): unknown {
  if (typeof value === "number") return Number.isInteger(value) ? value : Math.round(value * 1e4) / 1e4;
  if (Array.isArray(value)) return value.map(rounded);
  if (typeof value !== "object" || value === null) return value;
  return Object.fromEntries(Object.entries(value).map(([k, v]) => [k, rounded(v)]));
}

/** What a file is known by whatever it is called inside of a file. */
const keyOf = (media: Omit<TimelineMedia, "id"> | undefined): string =>
  media?.path ?? media?.sha256 ?? media?.name ?? "nothing";

function named(timeline: Timeline): unknown {
  const media = new Map(timeline.media.map((m) => [m.id, m]));
  const tracks = new Map(timeline.tracks.map((t, i) => [t.id, `${i} ${t.name}`]));
  return {
    ...timeline,
    media: timeline.media.map(({ id: _, ...m }) => m).sort((a, b) => (keyOf(a) < keyOf(b) ? -1 : 1)),
    tracks: timeline.tracks.map(({ id: _, ...t }) => ({
      ...t,
      output: t.output === null ? null : tracks.get(t.output),
      sends: t.sends.map((s) => ({ ...s, to: tracks.get(s.to) })),
      clips: t.clips.map((c) => ({ ...c, media: keyOf(media.get(c.media)) })),
    })),
  };
}
