import { audibleStretches } from "../engine/source";
import { isPlaced, isRinging, reshapeOf } from "../session/clips";
import type { AudioClip, Fade, NestClip, PlacedClip, Track } from "../session/document";
import type { FadeShape } from "../timeline/timeline";
import type { Part } from "../timeline/loss";
import type { Frames } from "../units";

/**
 * A stretch of a track on which one clip sounds, and how it can be told to others: as a window on its file; as a window
 * on a print of what it plays, with gain and fades still to be set; or as a print of all it sounds like.
 */
export interface Piece {
  readonly clip: PlacedClip;
  readonly from: Frames;
  readonly to: Frames;
  readonly as: "file" | "material" | "sound";
  /** Its effects sound on behind its end, over whatever follows. */
  readonly rings: boolean;
  /** Why it is not the file itself. */
  readonly why: readonly Part[];
  readonly fadeIn: Fade;
  readonly fadeOut: Fade;
}

const NO_FADE: Fade = { frames: 0, shape: "linear" };

/** The pieces of a track, in order of their beginnings. `isKnown`: whether a fade of a shape may stay a fade. */
export function piecesOf(track: Track, isKnown: (shape: FadeShape) => boolean): readonly Piece[] {
  return audibleStretches(track.clips.filter(isPlaced)).map(({ clip, from, to }) => {
    const fadeIn = fadeWithin(clip.fadeIn, clip.start, clip.start + clip.fadeIn.frames, from, to);
    const end = clip.start + clip.frames;
    const fadeOut = fadeWithin(clip.fadeOut, end - clip.fadeOut.frames, end, from, to);
    const both = (fadeIn?.frames ?? 0) + (fadeOut?.frames ?? 0);
    const cut: readonly Part[] = fadeIn && fadeOut && both <= to - from ? [] : ["cut fades"];
    const curved: readonly Part[] = [fadeIn, fadeOut].some((f) => f && f.frames > 0 && !isKnown(f.shape))
      ? ["curved fades"]
      : [];
    const made = clip.kind === "nest" ? nestWhy(clip) : clipWhy(clip);
    // Fades of a clip that rings on lie in front of its effects.
    const asSound = cut.length > 0 || curved.length > 0 || isRinging(clip);
    return {
      rings: isRinging(clip) && to === end,
      clip,
      from,
      to,
      as: asSound ? "sound" : made.length > 0 ? "material" : "file",
      why: [...made, ...cut, ...curved],
      fadeIn: asSound ? NO_FADE : (fadeIn ?? NO_FADE),
      fadeOut: asSound ? NO_FADE : (fadeOut ?? NO_FADE),
    };
  });
}

const nestWhy = (_clip: NestClip): readonly Part[] => ["nests"];

function clipWhy(clip: AudioClip): readonly Part[] {
  return [
    ...(reshapeOf(clip) ? ["stretched clips" as const] : []),
    ...(clip.reverse ? ["reversed clips" as const] : []),
    ...(clip.process.some((d) => d.on) ? ["clip effects" as const] : []),
  ];
}

/** A fade as a piece has it: whole, none of it, or null where the piece has a part of it. */
function fadeWithin(fade: Fade, begins: Frames, ends: Frames, from: Frames, to: Frames): Fade | null {
  if (fade.frames === 0 || ends <= from || begins >= to) return NO_FADE;
  return begins >= from && ends <= to ? fade : null;
}
