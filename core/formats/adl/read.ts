import { Losses, type Part } from "../../timeline/loss";
import type { ReadTimeline } from "../../timeline/places";
import type { FrameRate, TimelineClip, TimelineFade, TimelineMedia, TimelineTrack } from "../../timeline/timeline";
import { FRAME_RATES, NO_FADE, emptyTimeline, plainTrack } from "../../timeline/timeline";
import { MalformedFile } from "../bytes/bytes";
import { fileOfPath, pathOfUrl } from "../paths/url";
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
  const losses = new Losses();
  const lines = linesOf(text);
  const said = (key: string): readonly string[] => lines.find((l) => l.words[0] === key)?.words.slice(1) ?? [];
  const rate = Number(/\d+/.exec(said("(SEQ_SAMPLE_RATE)")[0] ?? "")?.[0] ?? 48000);
  if (!Number.isInteger(rate) || rate < 8000 || rate > 768000)
    throw new MalformedFile(`The list's sample rate of ${rate} Hz is not usable`);
  const frameRateName = said("(SEQ_FRAME_RATE)")[0];
  const frameRate: FrameRate | null = frameRateName === undefined ? FRAME_RATES["25"] : frameRateOf(frameRateName);
  if (!frameRate) throw new MalformedFile(`The list's frame rate "${frameRateName ?? ""}" is not known`);
  const time = (word: string | undefined, line: number) => frameOfTcf(word ?? "", rate, frameRate, line);
  const start = said("(SEQ_DEST_START)")[0];
  const startFrames = start === undefined ? 0 : time(start, 0);

  const media = new Map<number, TimelineMedia>();
  const names = new Map<number, string>();
  const entries: Entry[] = [];
  for (const { section, words, number } of lines) {
    if (section === "TRACKLIST" && words[0] === "(Track)") names.set(Number(words[1]), words[2] ?? "");
    else if (section === "SOURCE_INDEX" && words[0] === "(Index)") {
      const index = Number(words[1]);
      const url = words[3] ?? "";
      const path = pathOfUrl(url).replace(/^\/+/, "");
      const reference = words[5] === undefined || words[5] === "_" ? 0 : time(words[5], number);
      media.set(index, {
        id: `source-${index}`,
        name: words[7] !== undefined && words[7] !== "_" ? words[7] : fileOfPath(path),
        frames: words[6] === undefined || words[6] === "_" ? 0 : time(words[6], number),
        rate,
        channels: 0,
        sha256: null,
        timeReference: reference,
        path,
      });
    } else if (section === "EVENT_LIST") eventLine(words, number);
    else if (words[0] === "(PROJ_NOTES)") losses.add("colours and comments", "left out", "", 1, "PROJ_NOTES");
    else if (!READ_SECTIONS.has(section) && words.length > 0)
      losses.add(PART_OF_SECTION[section] ?? "what it holds beside sound", "left out", "", 1, section);
  }

  function eventLine(words: readonly string[], line: number): void {
    const [key, ...rest] = words[0] === "(Entry)" ? words.slice(2) : words;
    const last = entries.at(-1);
    switch (key) {
      case undefined:
        return;
      case "(Cut)":
        entries.push({ line, words: rest, fadeIn: NO_FADE, fadeOut: NO_FADE, gainDb: 0, name: "" });
        return;
      case "(Infade)":
      case "(Outfade)": {
        if (!last) throw new MalformedFile(`Line ${line} stands before any event`);
        const fade: TimelineFade = { frames: time(rest[0], line), shape: "linear" };
        if (rest[1] !== undefined && rest[1] !== "LIN" && rest[1] !== "_")
          losses.add("curved fades", "approximated", "", 1, rest[1]);
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
        else losses.add("colours and comments", "left out", "", 1, rest[0] ?? "a remark");
        return;
      default:
        losses.add("what it holds beside sound", "left out", "", 1, key);
    }
  }

  const tracks = new Map<number, { readonly channels: number; readonly clips: TimelineClip[] }>();
  for (const { line, words, fadeIn, fadeOut, gainDb, name } of entries) {
    const [, index, sourceChannels, trackNumbers, from, begins, ends] = words;
    const file = media.get(Number(index));
    if (!file) throw new MalformedFile(`Line ${line} names source ${index ?? ""}, which there is not`);
    const source = rangeOf(sourceChannels, line);
    const track = rangeOf(trackNumbers, line);
    const clipStart = time(begins, line) - startFrames;
    const frames = time(ends, line) - time(begins, line);
    const offset = time(from, line) - (file.timeReference ?? 0);
    if (frames < 1) {
      losses.add("clips", "left out", names.get(track.first) ?? "", 1, "they end before they begin");
      continue;
    }
    if (offset < 0 || clipStart < 0)
      throw new MalformedFile(`The event of line ${line} begins before ${offset < 0 ? "its file" : "the sequence"}`);
    const known = media.get(Number(index)) as TimelineMedia;
    media.set(Number(index), {
      ...known,
      channels: Math.max(known.channels, source.first + source.count - 1),
      frames: Math.max(known.frames, offset + frames),
    });
    let into = tracks.get(track.first);
    if (!into) {
      if (tracks.size >= MOST_TRACKS) throw new MalformedFile(`There are more than ${MOST_TRACKS} tracks`);
      tracks.set(track.first, (into = { channels: Math.min(2, track.count), clips: [] }));
    }
    into.clips.push({
      name: name || file.name,
      media: file.id,
      channel: source.count === 1 ? source.first - 1 : null,
      start: clipStart,
      frames,
      offset,
      gainDb,
      fadeIn,
      fadeOut,
      crossfade: false,
    });
  }
  // One channel of a file that has no other is all of it.
  const single = new Set([...media.values()].filter((m) => m.channels <= 1).map((m) => m.id));
  const made = withEmpty(names, tracks).map(({ number, channels, clips }): TimelineTrack =>
    plainTrack({
      id: `track-${number}`,
      name: names.get(number) ?? `Track ${number}`,
      kind: "audio",
      channels,
      clips: marked(
        clips
          .map((c) => (single.has(c.media) && c.channel === 0 ? { ...c, channel: null } : c))
          .sort((a, b) => a.start - b.start),
      ),
    }),
  );
  const used = new Set(made.flatMap((t) => t.clips.map((c) => c.media)));
  return {
    timeline: {
      ...emptyTimeline(said("(PROJ_TITLE)")[0] ?? "Audio decision list", rate),
      startFrames,
      frameRate,
      media: [...media.values()]
        .filter((m) => used.has(m.id))
        .map((m) => ({ ...m, channels: Math.max(1, m.channels) })),
      tracks: made,
    },
    losses: losses.list,
    embedded: new Map<string, never>(),
  };
}

/** Tracks by their first numbers, also those without events: two of one name in a row are one of two channels. */
function withEmpty(
  names: ReadonlyMap<number, string>,
  tracks: ReadonlyMap<number, { readonly channels: number; readonly clips: TimelineClip[] }>,
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
