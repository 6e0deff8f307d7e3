import type { TempoMap } from "../time/tempo";
import type { Frames } from "../units";
import { stretchedFrames } from "./bend";
import { clipSpan } from "./clips";
import type { Clip, Fade, PlacedClip, Session, Track } from "./document";
import type { PatchOf } from "./records";
import type { Edit } from "./edits";
import type { Checked } from "./problem";
import { refuse } from "./problem";

const NO_FADE: Fade = { frames: 0, shape: "linear" };

/**
 * Cuts a clip in two at a frame of the timeline, so that a track of audio sounds as before (unless the clip has effects
 * of its own, which begin anew with the second piece; notes end at the cut). Refuses a cut outside the clip, inside a
 * fade, or under another clip, where it would be heard.
 */
export function splitClip(track: Track, clip: Clip, at: Frames, tempo: TempoMap, id: string): Checked<readonly Edit[]> {
  const name = clip.name || "the clip";
  const { from, to } = clipSpan(clip, tempo);
  if (at <= from || at >= to) return refuse("at", `The playhead is not inside ${name}`);
  const index = track.clips.indexOf(clip);
  let first: PatchOf<"clips">;
  let second: Clip;
  if (clip.kind === "notes") {
    const ticks = Math.round(tempo.toTicks(at)) - clip.start;
    if (ticks <= 0 || ticks >= clip.ticks) return refuse("at", `The playhead is not inside ${name}`);
    first = { ticks };
    second = { ...clip, id, start: clip.start + ticks, offset: clip.offset + ticks, ticks: clip.ticks - ticks };
  } else {
    const frames = at - clip.start;
    if (frames < clip.fadeIn.frames || clip.frames - frames < clip.fadeOut.frames)
      return refuse("at", `The cut would lie in a fade of ${name}: shorten the fade first`);
    const over = track.clips.find(
      (c) => c !== clip && c.kind !== "notes" && c.start >= clip.start && c.start < at && c.start + c.frames > at,
    );
    if (over)
      return refuse("at", `"${over.name || "Another clip"}" lies over the cut: what is under it would come to the top`);
    first = { frames, fadeOut: NO_FADE };
    second = {
      ...clip,
      id,
      start: at,
      offset: clip.offset + frames,
      frames: clip.frames - frames,
      fadeIn: NO_FADE,
      crossfade: false,
    };
  }
  return {
    ok: true,
    value: [
      { do: "set", in: "clips", track: track.id, id: clip.id, patch: first },
      { do: "add", in: "clips", track: track.id, item: { ...second }, index: index + 1 },
    ],
  };
}

/**
 * Puts a copy of a clip on a track, beginning at a frame of the timeline. Refuses notes on an audio track and audio on
 * an instrument.
 */
export function placeCopy(clip: Clip, track: Track, at: Frames, tempo: TempoMap, id: string): Checked<readonly Edit[]> {
  const wanted = clip.kind === "notes" ? "instrument" : "audio";
  if (track.kind !== wanted)
    return refuse(
      "track",
      `${clip.kind === "notes" ? "Notes play" : "Audio plays"} on ${wanted === "audio" ? "an audio" : "an instrument"} track`,
    );
  if (track.frozen) return refuse("track", "The track is frozen: unfreeze it to edit");
  const copy: Clip =
    clip.kind === "notes" ? { ...clip, id, start: Math.round(tempo.toTicks(at)) } : { ...clip, id, start: at };
  return {
    ok: true,
    value: [{ do: "add", in: "clips", track: track.id, item: { ...copy }, index: track.clips.length }],
  };
}

/**
 * Cuts every clip of some tracks at both ends of a stretch, where it is cut without being heard; clips that cannot be
 * cut there (a fade lies over the place) stay whole. Answers with the edits and the pieces that lie inside.
 */
export function cutAround(
  tracks: readonly Track[],
  from: Frames,
  to: Frames,
  tempo: TempoMap,
  newId: () => string,
): { readonly edits: readonly Edit[]; readonly inside: readonly { readonly track: string; readonly clip: string }[] } {
  const edits: Edit[] = [];
  const inside: { track: string; clip: string }[] = [];
  for (const before of tracks) {
    let track = before;
    const cut = (at: Frames) => {
      for (const clip of track.clips) {
        const made = splitClip(track, clip, at, tempo, newId());
        if (!made.ok) continue;
        edits.push(...made.value);
        track = withEdits(track, made.value);
      }
    };
    cut(from);
    cut(to);
    for (const clip of track.clips) {
      const span = clipSpan(clip, tempo);
      if (span.from >= from && span.to <= to) inside.push({ track: track.id, clip: clip.id });
    }
  }
  return { edits, inside };
}

/** A track's clips as edits of them alone leave them. */
function withEdits(track: Track, edits: readonly Edit[]): Track {
  let clips = [...track.clips];
  for (const edit of edits) {
    if (edit.do === "set") clips = clips.map((c) => (c.id === edit.id ? ({ ...c, ...edit.patch } as Clip) : c));
    if (edit.do === "add") clips.splice(edit.index, 0, edit.item as unknown as Clip);
  }
  return { ...track, clips };
}

/** How long a crossfade is where two clips only touch, in seconds. */
export const CROSSFADE_S = 0.02;

/**
 * Lets a clip of audio and the one before it on its track run into each other: over their overlap where they have one,
 * else over `length` frames around the seam, as far as both have audio there. Equal power, so that what is not alike on
 * both sides stays as loud.
 */
export function crossfade(session: Session, track: Track, clip: Clip, length: Frames): Checked<readonly Edit[]> {
  if (clip.kind === "notes") return refuse("clip", "Only clips of audio fade into each other");
  const before = track.clips
    .filter(
      (c): c is PlacedClip =>
        c.kind !== "notes" &&
        c !== clip &&
        c.start <= clip.start &&
        c.start + c.frames >= clip.start &&
        c.start + c.frames < clip.start + clip.frames,
    )
    .sort((a, b) => b.start - a.start)[0];
  if (!before) return refuse("clip", "There is no clip that ends where this one begins, or inside it");
  const overlap = before.start + before.frames - clip.start;
  if (overlap > 0) return { ok: true, value: fadeOver(track, before, {}, clip, {}, overlap) };
  const behind = Math.min(length >> 1, materialFrames(session, before) - before.offset - before.frames);
  const ahead = Math.min(length - Math.max(0, behind), clip.offset, before.frames >> 1);
  const over = Math.max(0, behind) + Math.max(0, ahead);
  if (over < 2) return refuse("clip", "Neither clip has audio beyond the seam: let them overlap first");
  const longer = { frames: before.frames + behind };
  const earlier = { start: clip.start - ahead, offset: clip.offset - ahead, frames: clip.frames + ahead };
  return { ok: true, value: fadeOver(track, before, longer, clip, earlier, over) };
}

function fadeOver(
  track: Track,
  before: PlacedClip,
  longer: Partial<PlacedClip>,
  clip: PlacedClip,
  earlier: Partial<PlacedClip>,
  frames: Frames,
): readonly Edit[] {
  const fade: Fade = { frames, shape: "equal power" };
  const held = (fade0: Fade, room: Frames): Fade => ({ ...fade0, frames: Math.max(0, Math.min(fade0.frames, room)) });
  return [
    {
      do: "set",
      in: "clips",
      track: track.id,
      id: before.id,
      patch: { ...longer, fadeOut: fade, fadeIn: held(before.fadeIn, (longer.frames ?? before.frames) - frames) },
    },
    {
      do: "set",
      in: "clips",
      track: track.id,
      id: clip.id,
      patch: {
        ...earlier,
        fadeIn: fade,
        crossfade: true,
        fadeOut: held(clip.fadeOut, (earlier.frames ?? clip.frames) - frames),
      },
    },
  ];
}

/** How many frames a clip could show: all of its audio as stretched, or a nest to the end of its last child. */
export function materialFrames(session: Session, clip: PlacedClip): Frames {
  if (clip.kind === "nest")
    return Math.max(clip.offset + clip.frames, ...clip.children.map((child) => child.start + child.frames));
  const asset = session.assets.find((a) => a.id === clip.asset);
  return asset ? stretchedFrames(asset.frames, clip) : clip.offset + clip.frames;
}
