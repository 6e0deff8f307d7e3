import type { Track } from "./document";
import type { Edit } from "./edits";
import type { Checked } from "./problem";
import { refuse } from "./problem";

/** The first name of a take that no other on the track bears: "Take 1". */
function freeTakeName(track: Track): string {
  const taken = new Set(track.takes.map((t) => t.name));
  let n = 1;
  while (taken.has(`Take ${n}`)) n++;
  return `Take ${n}`;
}

/** Puts clips of a track aside, kept and silent. */
export function putAside(track: Track, ids: readonly string[], newId: () => string): Checked<readonly Edit[]> {
  const clips = track.clips.filter((c) => ids.includes(c.id));
  if (clips.length === 0) return refuse("clips", "there are no such clips on the track");
  if (track.frozen) return refuse("track", "the track is frozen: unfreeze it to edit");
  return {
    ok: true,
    value: [
      ...clips.map((c): Edit => ({ do: "remove", in: "clips", track: track.id, id: c.id })),
      {
        do: "add",
        in: "takes",
        track: track.id,
        item: { id: newId(), name: freeTakeName(track), clips },
        index: track.takes.length,
      },
    ],
  };
}

/**
 * Lets a take sound in place of what is on the track now, which becomes a take itself (unless there is nothing).
 * Nothing is lost, and doing it twice changes nothing but names.
 */
export function swapIn(track: Track, takeId: string, newId: () => string): Checked<readonly Edit[]> {
  const index = track.takes.findIndex((t) => t.id === takeId);
  const take = track.takes[index];
  if (!take) return refuse("take", "there is no such take on the track");
  if (track.frozen) return refuse("track", "the track is frozen: unfreeze it to edit");
  return {
    ok: true,
    value: [
      { do: "remove", in: "takes", track: track.id, id: takeId },
      ...track.clips.map((c): Edit => ({ do: "remove", in: "clips", track: track.id, id: c.id })),
      ...(track.clips.length > 0
        ? [
            {
              do: "add",
              in: "takes",
              track: track.id,
              item: { id: newId(), name: freeTakeName(track), clips: track.clips },
              index,
            } as const,
          ]
        : []),
      ...take.clips.map((c, i): Edit => ({ do: "add", in: "clips", track: track.id, item: { ...c }, index: i })),
    ],
  };
}
