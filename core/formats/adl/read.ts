import { Losses, type Part } from "../../timeline/loss";
import type { ReadTimeline } from "../../timeline/places";
import type { FrameRate, TimelineClip, TimelineFade, TimelineMedia, TimelineTrack } from "../../timeline/timeline";
import { FRAME_RATES, NO_FADE, emptyTimeline, plainTrack } from "../../timeline/timeline";
import { MalformedFile } from "../bytes/bytes";
import { fileOfPath, pathOfUrl } from "../paths/url";
import type { Frames } from "../../units";
import { frameOfTcf, frameRateOf } from "./tcf";

const MOST_LINES = 2_000_000;
const MOST_LINE = 10_000;
const MOST_TRACKS = 2000;

/** A line in its parts: `(Keyword)`, quoted strings, and bare words. */
interface Line {
  readonly number: number;
  readonly section: string;
  readonly words: readonly string[];
}

interface Entry {
  readonly line: number;
  readonly words: readonly string[];
  fadeIn: TimelineFade;
  fadeOut: TimelineFade;
  gainDb: number;
  name: string;
}

/** Sections that are read, or that say nothing about the sound. */
const READ_SECTIONS: ReadonlySet<string> = new Set([
  ...["ADL", "VERSION", "PROJECT", "SYSTEM", "SEQUENCE", "TRACKLIST", "SOURCE_INDEX", "EVENT_LIST", ""],
]);
const PART_OF_SECTION: Readonly<Record<string, Part>> = { FADER_LIST: "automation", MARKER_LIST: "markers" };

/** Reads any audio decision list. Throws `MalformedFile` that names the line. AES31-3. */
export function readAdl(text: string): ReadTimeline {
  const lines = linesOf(text);
  const said = (key: string): readonly string[] => lines.find((l) => l.words[0] === key)?.words.slice(1) ?? [];
  const rate = Number(/\d+/.exec(said("(SEQ_SAMPLE_RATE)")[0] ?? "")?.[0] ?? 48000);
  if (!Number.isInteger(rate) || rate < 8000 || rate > 768000)
    throw new MalformedFile(`The list's sample rate of ${rate} Hz is not usable`);
  const frameRateName = said("(SEQ_FRAME_RATE)")[0];
  const frameRate: FrameRate | null = frameRateName === undefined ? FRAME_RATES["25"] : frameRateOf(frameRateName);
  if (!frameRate) throw new MalformedFile(`The list's frame rate "${frameRateName ?? ""}" is not known`);
  const start = said("(SEQ_DEST_START)")[0];
  const startFrames = start === undefined ? 0 : frameOfTcf(start, rate, frameRate, 0);

  const read = new Reading(rate, frameRate);
  for (const line of lines) read.line(line);
  const tracks = read.tracksFrom(startFrames);
  const used = new Set(tracks.flatMap((t) => t.clips.map((c) => c.media)));
  return {
    timeline: {
      ...emptyTimeline(said("(PROJ_TITLE)")[0] ?? "Audio decision list", rate),
      startFrames,
      frameRate,
      media: [...read.media.values()]
        .filter((m) => used.has(m.id))
        .map((m) => ({ ...m, channels: Math.max(1, m.channels) })),
      tracks,
    },
    losses: read.losses.list,
    embedded: new Map<string, never>(),
  };
}

/** What is known after some lines of a list: its sources, the names of its tracks, its events. */
class Reading {
  readonly losses = new Losses();
  readonly media = new Map<number, TimelineMedia>();
  private readonly names = new Map<number, string>();
  private readonly entries: Entry[] = [];

  constructor(
    private readonly rate: number,
    private readonly frameRate: FrameRate,
  ) {}

  line({ section, words, number }: Line): void {
    if (section === "TRACKLIST" && words[0] === "(Track)") this.names.set(Number(words[1]), words[2] ?? "");
    else if (section === "SOURCE_INDEX" && words[0] === "(Index)") this.source(words, number);
    else if (section === "EVENT_LIST") this.event(words, number);
    else if (words[0] === "(PROJ_NOTES)") this.losses.add("colours and comments", "left out", "", 1, "PROJ_NOTES");
    else if (!READ_SECTIONS.has(section) && words.length > 0)
      this.losses.add(PART_OF_SECTION[section] ?? "what it holds beside sound", "left out", "", 1, section);
  }

  /** The events as tracks of a timeline that begins at `startFrames`. */
  tracksFrom(startFrames: Frames): readonly TimelineTrack[] {
    const tracks = new Map<number, PlacedTrack>();
    for (const entry of this.entries) this.place(entry, startFrames, tracks);
    // One channel of a file that has no other is all of it.
    const single = new Set([...this.media.values()].filter((m) => m.channels <= 1).map((m) => m.id));
    const whole = (c: TimelineClip) => (single.has(c.media) && c.channel === 0 ? { ...c, channel: null } : c);
    return withEmpty(this.names, tracks).map(({ number, channels, clips }) =>
      plainTrack({
        id: `track-${number}`,
        name: this.names.get(number) ?? `Track ${number}`,
        kind: "audio",
        channels,
        clips: marked(clips.map(whole).sort((a, b) => a.start - b.start)),
      }),
    );
  }

  private time(word: string | undefined, line: number): Frames {
    return frameOfTcf(word ?? "", this.rate, this.frameRate, line);
  }

  private source(words: readonly string[], line: number): void {
    const [, index, , url = "", , reference = "_", length = "_", name = "_"] = words;
    const path = pathOfUrl(url).replace(/^\/+/, "");
    this.media.set(Number(index), {
      id: `source-${Number(index)}`,
      name: name === "_" ? fileOfPath(path) : name,
      frames: length === "_" ? 0 : this.time(length, line),
      rate: this.rate,
      channels: 0,
      sha256: null,
      timeReference: reference === "_" ? 0 : this.time(reference, line),
      path,
    });
  }

  private event(words: readonly string[], line: number): void {
    const [key, ...rest] = words[0] === "(Entry)" ? words.slice(2) : words;
    const last = this.entries.at(-1);
    switch (key) {
      case undefined:
        return;
      case "(Cut)":
        this.entries.push({ line, words: rest, fadeIn: NO_FADE, fadeOut: NO_FADE, gainDb: 0, name: "" });
        return;
      case "(Infade)":
      case "(Outfade)": {
        if (!last) throw new MalformedFile(`Line ${line} stands before any event`);
        const fade: TimelineFade = { frames: this.time(rest[0], line), shape: "linear" };
        if (rest[1] !== undefined && rest[1] !== "LIN" && rest[1] !== "_")
          this.losses.add("curved fades", "approximated", "", 1, rest[1]);
        if (key === "(Infade)") last.fadeIn = fade;
        else last.fadeOut = fade;
        return;
      }
      case "(Gain)": {
        const value = Number(rest.find((w) => /^[-+]?\d+(\.\d*)?$/.test(w)));
        if (last && Number.isFinite(value)) last.gainDb = value;
        return;
      }
      case "(Rem)":
        if (last && rest[0] === "NAME") last.name = rest[1] ?? "";
        else this.losses.add("colours and comments", "left out", "", 1, rest[0] ?? "a remark");
        return;
      default:
        this.losses.add("what it holds beside sound", "left out", "", 1, key);
    }
  }

  private place(entry: Entry, startFrames: Frames, tracks: Map<number, PlacedTrack>): void {
    const { line, words, fadeIn, fadeOut, gainDb, name } = entry;
    const [, index, sourceChannels, trackNumbers, from, begins, ends] = words;
    const file = this.media.get(Number(index));
    if (!file) throw new MalformedFile(`Line ${line} names source ${index ?? ""}, which there is not`);
    const source = rangeOf(sourceChannels, line);
    const track = rangeOf(trackNumbers, line);
    const start = this.time(begins, line) - startFrames;
    const frames = this.time(ends, line) - this.time(begins, line);
    const offset = this.time(from, line) - (file.timeReference ?? 0);
    if (frames < 1) {
      this.losses.add("clips", "left out", this.names.get(track.first) ?? "", 1, "they end before they begin");
      return;
    }
    if (offset < 0 || start < 0)
      throw new MalformedFile(`The event of line ${line} begins before ${offset < 0 ? "its file" : "the sequence"}`);
    this.media.set(Number(index), {
      ...file,
      channels: Math.max(file.channels, source.first + source.count - 1),
      frames: Math.max(file.frames, offset + frames),
    });
    const channel = source.count === 1 ? source.first - 1 : null;
    onto(tracks, track).clips.push({
      ...{ name: name || file.name, media: file.id, channel, start, frames, offset },
      ...{ gainDb, fadeIn, fadeOut, crossfade: false },
    });
  }
}

interface PlacedTrack {
  readonly channels: number;
  readonly clips: TimelineClip[];
}

function onto(tracks: Map<number, PlacedTrack>, { first, count }: ReturnType<typeof rangeOf>): PlacedTrack {
  const known = tracks.get(first);
  if (known) return known;
  if (tracks.size >= MOST_TRACKS) throw new MalformedFile(`There are more than ${MOST_TRACKS} tracks`);
  const made: PlacedTrack = { channels: Math.min(2, count), clips: [] };
  tracks.set(first, made);
  return made;
}

/** Tracks by their first numbers, also those without events: two of one name in a row are one of two channels. */
function withEmpty(
  names: ReadonlyMap<number, string>,
  tracks: ReadonlyMap<number, PlacedTrack>,
): readonly { readonly number: number; readonly channels: 1 | 2; readonly clips: readonly TimelineClip[] }[] {
  const made: { number: number; channels: 1 | 2; clips: readonly TimelineClip[] }[] = [];
  const numbers = [...new Set([...names.keys(), ...tracks.keys()])].sort((a, b) => a - b);
  let covered = 0;
  for (const number of numbers) {
    const track = tracks.get(number);
    if (!track && number <= covered) continue;
    const isPair = names.get(number) === names.get(number + 1) && !tracks.has(number + 1);
    const channels = track ? (track.channels === 2 ? 2 : 1) : isPair ? 2 : 1;
    made.push({ number, channels, clips: track?.clips ?? [] });
    covered = Math.max(covered, number + channels - 1);
  }
  return made;
}

/** Of two events that overlap by the length of both of their fades, the second crossfades. */
function marked(clips: readonly TimelineClip[]): readonly TimelineClip[] {
  return clips.map((clip, i) => {
    const last = clips[i - 1];
    const shared = last ? last.start + last.frames - clip.start : 0;
    const isCrossfade = shared > 0 && shared === clip.fadeIn.frames && shared === last?.fadeOut.frames;
    return isCrossfade ? { ...clip, crossfade: true } : clip;
  });
}

function rangeOf(text: string | undefined, line: number): { readonly first: number; readonly count: number } {
  const [, first, last] = /^(\d{1,4})(?:~(\d{1,4}))?$/.exec(text ?? "") ?? [];
  if (first === undefined || Number(first) < 1)
    throw new MalformedFile(`"${(text ?? "").slice(0, 40)}" in line ${line} names no channels`);
  return { first: Number(first), count: Math.max(1, Number(last ?? first) - Number(first) + 1) };
}

function linesOf(text: string): readonly Line[] {
  const raw = text.split(/\r\n|\n|\r/);
  if (raw.length > MOST_LINES) throw new MalformedFile(`The list has more than ${MOST_LINES} lines`);
  if (!raw.some((l) => l.trim() === "<ADL>"))
    throw new MalformedFile("This is no audio decision list: <ADL> is missing");
  const lines: Line[] = [];
  let section = "";
  raw.forEach((line, i) => {
    if (line.length > MOST_LINE) throw new MalformedFile(`Line ${i + 1} has more than ${MOST_LINE} letters`);
    const words = wordsOf(line);
    const tag = /^<(\/?)([A-Z_0-9]+)>$/.exec(words[0] ?? "");
    if (tag) section = tag[1] === "" ? (tag[2] ?? "") : "";
    else if (words.length > 0) lines.push({ number: i + 1, section, words });
  });
  return lines;
}

/** Words are divided by white space; what stands between double quotes is one. */
const wordsOf = (line: string): readonly string[] =>
  [...line.matchAll(/"([^"]*)"|(\S+)/g)].map((m) => m[1] ?? m[2] ?? "");
