import type { AudioClip, Clip, Session, Track } from "./document";

/*
 * A session as it is sent to its page. A big one is nine tenths clips of audio, and most of what each says is what
 * every plain clip says: that is left out, and an asset is a number.
 */

type Fade = AudioClip["fadeIn"];
const NO_FADE: Fade = { frames: 0, shape: "linear" };
const NONE = [] as const;

/** A clip of audio without what is plain. */
type Told = Omit<Partial<AudioClip>, "kind" | "asset"> &
  Pick<AudioClip, "id" | "name" | "start" | "frames"> & {
    /** Which of the session's assets it plays. */
    readonly a: number;
  };
/** A clip of another kind is sent as it is. */
type CompactClip = Clip | Told;

type Take = Track["takes"][number];
interface TrackOf<C> extends Omit<Track, "clips" | "takes"> {
  readonly clips: readonly C[];
  readonly takes: readonly (Omit<Take, "clips"> & { readonly clips: readonly C[] })[];
}

export interface CompactSession extends Omit<Session, "tracks"> {
  readonly tracks: readonly TrackOf<CompactClip>[];
}

/** Leaves out what is plain. `wholeSession` gives the same session again, once this has been JSON. */
export function compactSession(session: Session): CompactSession {
  const numbers = new Map(session.assets.map(({ id }, i) => [id, i]));
  const compact = (clip: Clip): CompactClip => {
    if (clip.kind !== "audio") return clip;
    const a = numbers.get(clip.asset);
    return a === undefined ? clip : told(clip, a);
  };
  return { ...session, tracks: session.tracks.map((track) => withClips(track, compact)) };
}

/** Fills in what `compactSession` left out. Throws a RangeError for an asset that the session does not have. */
export function wholeSession(compact: CompactSession): Session {
  const whole = (clip: CompactClip): Clip => ("a" in clip ? filled(clip, compact.assets[clip.a]?.id) : clip);
  return { ...compact, tracks: compact.tracks.map((track) => withClips(track, whole)) };
}

const withClips = <From, To>(track: TrackOf<From>, of: (clip: From) => To): TrackOf<To> => ({
  ...track,
  clips: track.clips.map(of),
  takes: track.takes.map((take) => ({ ...take, clips: take.clips.map(of) })),
});

const unless = <T>(value: T, plain: T): T | undefined => (value === plain ? undefined : value);
const unlessNone = <T>(list: readonly T[]): readonly T[] | undefined => (list.length === 0 ? undefined : list);
const unlessNoFade = (fade: Fade): Fade | undefined =>
  fade.frames === 0 && fade.shape === "linear" ? undefined : fade;

/** What is plain is `undefined`, which JSON leaves out. All of them have one shape, so that they are made fast. */
const told = (clip: AudioClip, a: number): Told =>
  ({
    a,
    id: clip.id,
    name: clip.name,
    start: clip.start,
    frames: clip.frames,
    offset: unless(clip.offset, 0),
    gainDb: unless(clip.gainDb, 0),
    fadeIn: unlessNoFade(clip.fadeIn),
    fadeOut: unlessNoFade(clip.fadeOut),
    crossfade: unless(clip.crossfade, false),
    layered: unless(clip.layered, false),
    muted: unless(clip.muted, false),
    reverse: unless(clip.reverse, false),
    stretch: unless(clip.stretch, 1),
    transposeCents: unless(clip.transposeCents, 0),
    timeMarks: unlessNone(clip.timeMarks),
    pitchLine: unlessNone(clip.pitchLine),
    process: unlessNone(clip.process),
    ringsOn: unless(clip.ringsOn, false),
  }) as Told;

function filled(clip: Told, asset: string | undefined): AudioClip {
  if (asset === undefined) throw new RangeError(`there is no asset ${clip.a}`);
  return {
    kind: "audio",
    asset,
    id: clip.id,
    name: clip.name,
    start: clip.start,
    frames: clip.frames,
    offset: clip.offset ?? 0,
    gainDb: clip.gainDb ?? 0,
    fadeIn: clip.fadeIn ?? NO_FADE,
    fadeOut: clip.fadeOut ?? NO_FADE,
    crossfade: clip.crossfade ?? false,
    layered: clip.layered ?? false,
    muted: clip.muted ?? false,
    reverse: clip.reverse ?? false,
    stretch: clip.stretch ?? 1,
    transposeCents: clip.transposeCents ?? 0,
    timeMarks: clip.timeMarks ?? NONE,
    pitchLine: clip.pitchLine ?? NONE,
    process: clip.process ?? NONE,
    ringsOn: clip.ringsOn ?? false,
  };
}
