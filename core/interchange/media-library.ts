import type { Session } from "../session/document";
import type { Timeline, TimelineClip, TimelineMedia } from "../timeline/timeline";
import type { Frames } from "../units";
import type { SessionFileOptions } from "./plan";

/** What became of a printing: a file like others, whose first frame stands at `from`. */
export interface PrintFacts {
  readonly from: Frames;
  readonly frames: Frames;
  readonly channels: 1 | 2;
  readonly sha256: string;
}

/** A piece of a stored file that a timeline plays, and the file that is made of it. */
export interface MediaSource {
  readonly media: TimelineMedia;
  /** Hash of the stored file; of a print, which print. */
  readonly from: { readonly asset: string } | { readonly print: string };
  /** The stretch of it; null: all. */
  readonly window: { readonly from: Frames; readonly to: Frames } | null;
  /** One of its channels; null: as many as it has. */
  readonly channel: 0 | 1 | null;
}

/** Every file that clips play, each named once. */
export class MediaLibrary {
  private readonly known = new Map<string, MediaSource>();

  constructor(
    private readonly session: Session,
    private readonly prints: ReadonlyMap<string, PrintFacts>,
    private readonly options: SessionFileOptions,
  ) {}

  get media(): readonly TimelineMedia[] {
    return [...this.known.values()].map((s) => s.media);
  }

  frames(id: string): Frames {
    return this.known.get(id)?.media.frames ?? 0;
  }

  channels(id: string): number {
    return this.known.get(id)?.media.channels ?? 2;
  }

  asset(hash: string): string {
    const asset = this.session.assets.find((a) => a.id === hash);
    if (!asset) throw new RangeError(`there is no asset ${hash}`);
    const { name, frames, rate, channels } = asset;
    return this.take(hash, {
      media: { id: hash, name, frames, rate, channels, sha256: hash, timeReference: null, path: null },
      from: { asset: hash },
      window: null,
      channel: null,
    });
  }

  print(id: string, name: string): string {
    const print = this.prints.get(id);
    if (!print) throw new RangeError(`"${name}" was not printed`);
    const { from, frames, channels, sha256 } = print;
    return this.take(id, {
      media: { id, name, frames, rate: this.session.rate, channels, sha256, timeReference: from, path: null },
      from: { print: id },
      window: null,
      channel: null,
    });
  }

  /** One channel of a file as a file of its own. */
  side(id: string, channel: 0 | 1): string {
    const whole = this.known.get(id);
    if (!whole) throw new RangeError(`there is no file ${id}`);
    if (whole.media.channels === 1) return id;
    const { media } = whole;
    const made = `${id}/${channel}`;
    const name = `${media.name} ${channel === 0 ? "L" : "R"}`;
    return this.take(made, { ...whole, media: { ...media, id: made, name, channels: 1, sha256: null }, channel });
  }

  /** A timeline whose files hold what its clips play of them, and so much around it. */
  cutTo(timeline: Timeline): Timeline {
    const handle = Math.round(this.options.handleSeconds * this.session.rate);
    const windows = new Map<string, { from: Frames; to: Frames }[]>();
    for (const { media, offset, frames } of timeline.tracks.flatMap((t) => t.clips)) {
      const list = windows.get(media) ?? [];
      windows.set(media, list);
      list.push({
        from: Math.max(0, offset - handle),
        to: Math.min(this.frames(media), offset + frames + handle),
      });
    }
    const cut = new Map<string, readonly { readonly from: Frames; readonly to: Frames; readonly id: string }[]>();
    for (const [id, list] of windows) cut.set(id, this.cutOne(id, joined(list)));
    const placed = (clip: TimelineClip): TimelineClip => {
      const part = cut.get(clip.media)?.find((w) => clip.offset >= w.from && clip.offset + clip.frames <= w.to);
      return part ? { ...clip, media: part.id, offset: clip.offset - part.from } : clip;
    };
    const ids = new Set([...cut.values()].flat().map((w) => w.id));
    return {
      ...timeline,
      media: this.media.filter((m) => ids.has(m.id)),
      tracks: timeline.tracks.map((t) => ({ ...t, clips: t.clips.map(placed) })),
    };
  }

  private cutOne(id: string, windows: readonly { readonly from: Frames; readonly to: Frames }[]) {
    const whole = this.known.get(id);
    if (!whole) throw new RangeError(`there is no file ${id}`);
    return windows.map(({ from, to }, i) => {
      if (from === 0 && to === whole.media.frames) return { from, to, id };
      const made = `${id}@${from}`;
      const name = windows.length > 1 ? `${whole.media.name} ${i + 1}` : whole.media.name;
      const timeReference = whole.media.timeReference === null ? null : whole.media.timeReference + from;
      const media = { ...whole.media, id: made, name, frames: to - from, sha256: null, timeReference };
      return { from, to, id: this.take(made, { ...whole, media, window: { from, to } }) };
    });
  }

  sourcesOf(timeline: Timeline): readonly MediaSource[] {
    return timeline.media.map((m) => {
      const source = this.known.get(m.id);
      if (!source) throw new RangeError(`there is no file ${m.id}`);
      return source;
    });
  }

  private take(id: string, source: MediaSource): string {
    if (!this.known.has(id)) this.known.set(id, source);
    return id;
  }
}

/** Windows of one file, those that touch made one, in order. */
function joined(windows: readonly { readonly from: Frames; readonly to: Frames }[]) {
  const made: { from: Frames; to: Frames }[] = [];
  for (const { from, to } of [...windows].sort((a, b) => a.from - b.from)) {
    const last = made.at(-1);
    if (last && from <= last.to) last.to = Math.max(last.to, to);
    else made.push({ from, to });
  }
  return made;
}
