/* eslint-disable max-lines -- one walk over one file format, with the state that all of its schemas share */
import type { Fate, Part } from "../../timeline/loss";
import { Losses } from "../../timeline/loss";
import type { ReadTimeline } from "../../timeline/places";
import { FrameGrid, exactRate } from "../../timeline/places";
import type {
  FadeShape,
  Timeline,
  TimelineClip,
  TimelineFade,
  TimelineLane,
  TimelineMedia,
  TimelinePoint,
  TimelineSend,
  TimelineTrack,
} from "../../timeline/timeline";
import { NO_FADE, plainTrack } from "../../timeline/timeline";
import { meterIn, tempoIn } from "../../timeline/maps";
import { MalformedFile } from "../bytes/bytes";
import type { Loose } from "../json/loose";
import { isLoose, listIn, looseIn, numberIn, parseLoose, textIn } from "../json/loose";
import { fileOfPath, pathOfUrl } from "../paths/url";
import { OWN } from "./facts";

const MOST_ITEMS = 200_000;
const DEEPEST = 32;
const MOST_TRACKS = 1000;

/** Reads an OpenTimelineIO file: the audio tracks of any. Throws `MalformedFile`. */
export function readOtio(text: string): ReadTimeline {
  const file = parseLoose(text, "The OpenTimelineIO file");
  if (schemaOf(file) !== "Timeline") throw new MalformedFile(`This is ${schemaOf(file) || "nothing"}, not a timeline`);
  return new OtioReader(file).read();
}

const schemaOf = (value: Loose): string => textIn(value["OTIO_SCHEMA"]).replace(/\.\d+$/, "");
const ownOf = (value: Loose): Loose => looseIn(looseIn(value["metadata"])[OWN]);

class OtioReader {
  private readonly losses = new Losses();
  private readonly grid: FrameGrid;
  private readonly media = new Map<string, TimelineMedia>();
  private items = 0;

  constructor(private readonly file: Loose) {
    const stated = numberIn(ownOf(file)["rate"]);
    this.grid = new FrameGrid(isAudioRate(stated) ? stated : (likelyRate(file) ?? 48000), this.losses);
  }

  read(): ReadTimeline {
    const { file, losses } = this;
    const own = ownOf(file);
    const stack = looseIn(file["tracks"]);
    const tracks: TimelineTrack[] = [];
    const shown = this.range(stack["source_range"]);
    this.beside(file);
    this.beside(stack);
    for (const child of listIn(stack["children"])) {
      if (!isLoose(child)) throw new MalformedFile("A track of the timeline is no object");
      if (tracks.length > MOST_TRACKS) throw new MalformedFile(`There are more than ${MOST_TRACKS} tracks`);
      if (schemaOf(child) === "Track" && textIn(child["kind"], "Video") !== "Audio") {
        this.say("what it holds beside sound", "left out", textIn(child["name"]));
        continue;
      }
      for (const track of this.tracksOf(child, tracks.length))
        tracks.push(shown ? { ...track, clips: windowOf([track.clips], shown)[0] ?? [] } : track);
    }
    for (const way of listIn(own["ways"])) {
      if (!isLoose(way)) continue;
      const index = Math.max(0, Math.min(tracks.length, numberIn(way["index"], tracks.length)));
      tracks.splice(index, 0, this.settings(way, `way-${index}`, textIn(way["name"]), true));
    }
    const start = file["global_start_time"];
    const timeline: Timeline = {
      name: textIn(file["name"], "Timeline"),
      rate: this.grid.rate,
      startFrames: isLoose(start) ? Math.max(0, this.time(start)) : 0,
      frameRate: frameRateIn(own["frameRate"]),
      tempo: tempoIn(own["tempo"]),
      meter: meterIn(own["meter"]),
      leadIn: numberIn(own["leadIn"]),
      markers: listIn(stack["markers"])
        .filter(isLoose)
        .map((m) => this.markerOf(m, shown?.start ?? 0)),
      media: [...this.media.values()],
      tracks: unique(tracks),
    };
    return { timeline, losses: losses.list, embedded: new Map<string, never>() };
  }

  private say(part: Part, fate: Fate, where: string, detail = ""): void {
    this.losses.add(part, fate, where, 1, detail);
  }

  private time(value: Loose): number {
    const rate = exactRate(numberIn(value["rate"], this.grid.rate));
    if (rate <= 0) throw new MalformedFile("A time has a rate of 0");
    return this.grid.at(numberIn(value["value"]), rate);
  }

  private range(value: unknown): { readonly start: number; readonly frames: number } | null {
    if (!isLoose(value)) return null;
    const start = this.time(looseIn(value["start_time"]));
    return { start, frames: Math.max(0, this.time(looseIn(value["duration"]))) };
  }

  /** A marker of the whole: a place with a name. How far it reaches, and what else stands on it, is reported. */
  private markerOf(marker: Loose, from: number): { readonly name: string; readonly frame: number } {
    const name = textIn(marker["name"]);
    const range = looseIn(marker["marked_range"]);
    if (isLoose(range["duration"]) && numberIn(range["duration"]["value"]) > 0)
      this.say("ranges", "approximated", "", `${name || "a marker"}: only where it begins`);
    this.foreign(marker, name);
    return { name, frame: Math.max(0, this.time(looseIn(range["start_time"])) - from) };
  }

  /** A child of the topmost stack: one track, or as many as a stack in its place needs. */
  private tracksOf(child: Loose, index: number): readonly TimelineTrack[] {
    const name = textIn(child["name"]) || `Track ${index + 1}`;
    const rows = this.windowed(child, 0);
    const base = this.settings(ownOf(child), `track-${index}`, name, child["enabled"] !== false);
    return (rows.length === 0 ? [[]] : rows).map((row, i) => ({
      ...base,
      id: i === 0 ? base.id : `${base.id}+${i}`,
      name: i === 0 ? name : `${name} (${i + 1})`,
      clips: row,
    }));
  }

  /** The clips of an item that begins at its own zero, by rows that lie over each other. */
  private rowsOf(item: Loose, depth: number): readonly (readonly TimelineClip[])[] {
    if (depth > DEEPEST) throw new MalformedFile(`Compositions are nested more than ${DEEPEST} deep`);
    if (++this.items > MOST_ITEMS) throw new MalformedFile(`There are more than ${MOST_ITEMS} items`);
    const schema = schemaOf(item);
    if (depth > 0 || schema === "Track") this.beside(item);
    if (schema === "Clip") {
      const clip = this.clipOf(item);
      return clip ? [[clip]] : [];
    }
    if (schema === "Stack")
      return listIn(item["children"])
        .filter(isLoose)
        .flatMap((c) => (this.isOff(c) ? [] : this.windowed(c, depth + 1)));
    if (schema !== "Track") {
      if (schema !== "Gap") this.say("what it holds beside sound", "left out", textIn(item["name"]), schema);
      return [];
    }
    const rows: TimelineClip[][] = [[]];
    let at = 0;
    let transition: { readonly inFrames: number; readonly outFrames: number; readonly own: Loose } | null = null;
    for (const child of listIn(item["children"])) {
      if (!isLoose(child)) throw new MalformedFile("An item of a track is no object");
      if (schemaOf(child) === "Transition") {
        if (++this.items > MOST_ITEMS) throw new MalformedFile(`There are more than ${MOST_ITEMS} items`);
        transition = {
          inFrames: Math.max(0, this.time(looseIn(child["in_offset"]))),
          outFrames: Math.max(0, this.time(looseIn(child["out_offset"]))),
          own: ownOf(child),
        };
        continue;
      }
      const frames = this.lengthOf(child, depth + 1);
      const inside = this.isOff(child) ? [] : this.windowed(child, depth + 1);
      inside.forEach((row, i) => {
        const to = (rows[i] ??= []);
        for (const clip of row) to.push({ ...clip, start: clip.start + at });
      });
      if (transition) this.crossfade(rows[0] ?? [], at, transition);
      transition = null;
      at += frames;
      if (!Number.isSafeInteger(at)) throw new MalformedFile("A track is longer than anything can be");
    }
    if (transition) this.crossfade(rows[0] ?? [], at, transition);
    return rows.filter((r) => r.length > 0);
  }

  /** What of a composition its own range shows, from zero. */
  private windowed(item: Loose, depth: number): readonly (readonly TimelineClip[])[] {
    const rows = this.rowsOf(item, depth);
    const range = schemaOf(item) === "Clip" ? null : this.range(item["source_range"]);
    if (!range) return rows;
    for (const clip of rows.flat()) {
      const isCut = clip.start < range.start || clip.start + clip.frames > range.start + range.frames;
      if (isCut && (clip.fadeIn.frames > 0 || clip.fadeOut.frames > 0)) this.say("fades", "left out", clip.name, "cut");
    }
    return windowOf(rows, range);
  }

  /** Whether an item is switched off. Reports it as a loss. */
  private isOff(item: Loose): boolean {
    if (item["enabled"] !== false) return false;
    this.say("clips", "left out", textIn(item["name"]), "switched off");
    return true;
  }

  /** Tells what stands on an item that nothing is made of. */
  private beside(item: Loose): void {
    const schema = schemaOf(item);
    const isTop = schema === "Timeline" || item === looseIn(this.file["tracks"]);
    const name = isTop ? "" : textIn(item["name"]);
    if (!isTop)
      for (const marker of listIn(item["markers"]).filter(isLoose))
        this.say("markers", "left out", name, textIn(marker["name"]));
    // Those of clips are told where the clips are made.
    if (schema !== "Clip")
      for (const effect of listIn(item["effects"]).filter(isLoose))
        this.say("devices", "left out", name, textIn(effect["name"]) || schemaOf(effect));
    this.foreign(item, name);
  }

  /** Reports what other programs have noted on an item. */
  private foreign(item: Loose, name: string): void {
    const foreign = Object.keys(looseIn(item["metadata"])).filter((key) => key !== OWN);
    if (foreign.length === 0) return;
    const detail = `notes of other programs (${foreign.slice(0, 3).join(", ")})`;
    this.say("what it holds beside sound", "left out", name, detail);
  }

  private lengthOf(item: Loose, depth: number): number {
    if (depth > DEEPEST) throw new MalformedFile(`Compositions are nested more than ${DEEPEST} deep`);
    const range = this.range(item["source_range"]);
    if (range) return range.frames;
    const children = listIn(item["children"]).filter(isLoose);
    switch (schemaOf(item)) {
      case "Clip":
        return this.range(this.referenceOf(item)["available_range"])?.frames ?? 0;
      case "Track":
        return children
          .filter((c) => schemaOf(c) !== "Transition")
          .reduce((sum, c) => sum + this.lengthOf(c, depth + 1), 0);
      case "Stack":
        return children.reduce((most, c) => Math.max(most, this.lengthOf(c, depth + 1)), 0);
      default:
        return 0;
    }
  }

  /** Both clips at a cut reach over it. */
  private crossfade(
    row: TimelineClip[],
    cut: number,
    { inFrames, outFrames, own }: { readonly inFrames: number; readonly outFrames: number; readonly own: Loose },
  ): void {
    const after = row.findIndex((c) => c.start === cut);
    const before = row.findIndex((c) => c.start + c.frames === cut);
    const a = row[before];
    const b = row[after];
    const shape = shapeIn(own["shape"], "linear");
    const shared = inFrames + outFrames;
    if (shared === 0) return;
    // Beside a gap it is a fade: the clip reaches over the cut by itself.
    if (a && !b) {
      row[before] = {
        ...a,
        frames: a.frames + outFrames,
        fadeOut: { frames: Math.min(shared, a.frames + outFrames), shape },
      };
      return;
    }
    if (b && !a) {
      const earlier = Math.min(inFrames, b.offset, b.start);
      if (earlier < inFrames) this.say("fades", "approximated", b.name, "there is too little in front of their clips");
      const frames = b.frames + earlier;
      row[after] = {
        ...{ ...b, start: b.start - earlier, offset: b.offset - earlier, frames },
        fadeIn: { frames: Math.min(earlier + outFrames, frames), shape },
      };
      return;
    }
    if (!a || !b || b.offset < inFrames) {
      this.say("crossfades", "left out", "", a && b ? "one of their clips is too short" : "no clips");
      return;
    }
    row[before] = { ...a, frames: a.frames + outFrames, fadeOut: { frames: shared, shape } };
    row[after] = {
      ...b,
      start: b.start - inFrames,
      offset: b.offset - inFrames,
      frames: b.frames + inFrames,
      fadeIn: { frames: shared, shape },
      crossfade: true,
    };
    this.say("crossfades", "kept", "");
  }

  private referenceOf(clip: Loose): Loose {
    // Clip.1 has one reference, Clip.2 several of which one is used.
    if (isLoose(clip["media_reference"])) return clip["media_reference"];
    const key = textIn(clip["active_media_reference_key"], "DEFAULT_MEDIA");
    return looseIn(looseIn(clip["media_references"])[key]);
  }

  private clipOf(item: Loose): TimelineClip | null {
    const name = textIn(item["name"]);
    const reference = this.referenceOf(item);
    const url = textIn(reference["target_url"]);
    for (const key of Object.keys(looseIn(item["media_references"])))
      if (looseIn(item["media_references"])[key] !== reference) this.say("takes", "left out", name, key);
    const isThere = schemaOf(reference) === "ExternalReference" && url !== "";
    for (const effect of listIn(item["effects"]).filter(isLoose)) {
      const isSpeed = ["LinearTimeWarp", "TimeEffect", "FreezeFrame"].includes(schemaOf(effect));
      this.say(isSpeed ? "speed changes" : "devices", "left out", name, textIn(effect["name"]));
    }
    if (!isThere && schemaOf(reference) !== "MissingReference" && schemaOf(reference) !== "") {
      this.say("what it holds beside sound", "left out", name, schemaOf(reference));
      return null;
    }
    const available = this.range(reference["available_range"]);
    const range = this.range(item["source_range"]) ?? available;
    if (!range || range.frames < 1) {
      this.say("clips", "left out", name, "nothing says how long they are");
      return null;
    }
    const own = ownOf(item);
    const offset = range.start - (available?.start ?? 0);
    if (offset < 0) this.say("clips", "approximated", name, "they begin before their files do");
    const fade = (value: unknown): TimelineFade => {
      const frames = Math.max(0, Math.round(numberIn(looseIn(value)["frames"])));
      return frames === 0 ? NO_FADE : { frames, shape: shapeIn(looseIn(value)["shape"], "linear") };
    };
    const channel = own["channel"];
    return {
      name: name || fileOfPath(pathOfUrl(url)),
      media: this.mediaOf(reference, url || `missing ${name}`, range.start + range.frames),
      channel: typeof channel === "number" && Number.isInteger(channel) && channel >= 0 ? channel : null,
      start: 0,
      frames: range.frames,
      offset: Math.max(0, offset),
      gainDb: numberIn(own["gainDb"]),
      fadeIn: fade(own["fadeIn"]),
      fadeOut: fade(own["fadeOut"]),
      crossfade: false,
    };
  }

  private mediaOf(reference: Loose, url: string, reaches: number): string {
    if (this.media.has(url)) return url;
    const own = ownOf(reference);
    const available = looseIn(reference["available_range"]);
    const rate = numberIn(looseIn(available["duration"])["rate"]);
    const isOwnRate = isAudioRate(rate);
    const path = pathOfUrl(url);
    const sha256 = textIn(own["sha256"]);
    this.media.set(url, {
      id: url,
      name: textIn(reference["name"]) || fileOfPath(path),
      frames: isOwnRate ? numberIn(looseIn(available["duration"])["value"]) : reaches,
      rate: isOwnRate ? rate : this.grid.rate,
      channels: numberIn(own["channels"], 2),
      sha256: /^[0-9a-f]{64}$/.test(sha256) ? sha256 : null,
      timeReference: typeof own["timeReference"] === "number" ? own["timeReference"] : null,
      path,
    });
    return url;
  }

  private settings(own: Loose, id: string, name: string, isOn: boolean): TimelineTrack {
    const kinds = ["audio", "notes", "group", "return", "mix"] as const;
    const kind = kinds.find((k) => k === own["kind"]) ?? "audio";
    const sends = listIn(own["sends"])
      .filter(isLoose)
      .map((s): TimelineSend => ({
        to: textIn(s["to"]),
        gainDb: numberIn(s["gainDb"]),
        position: s["position"] === "before fader" ? "before fader" : "after fader",
      }));
    return plainTrack({
      id: textIn(own["id"]) || id,
      name,
      kind,
      channels: own["channels"] === 1 ? 1 : 2,
      output: textIn(own["output"]) || null,
      faderDb: numberIn(own["faderDb"]),
      pan: numberIn(own["pan"]),
      ...(Math.abs(numberIn(own["panInLevels"], NaN)) <= 1 ? { panInLevels: numberIn(own["panInLevels"]) } : {}),
      mute: own["mute"] === true || !isOn,
      sends,
      lanes: listIn(own["lanes"]).filter(isLoose).flatMap(laneIn),
    });
  }
}

/** What of rows of clips a range shows, from zero. */
const windowOf = (
  rows: readonly (readonly TimelineClip[])[],
  range: { readonly start: number; readonly frames: number },
): readonly (readonly TimelineClip[])[] =>
  rows.map((row) =>
    row.flatMap((clip) => {
      const from = Math.max(clip.start, range.start);
      const to = Math.min(clip.start + clip.frames, range.start + range.frames);
      if (to <= from) return [];
      const isWhole = from === clip.start && to === clip.start + clip.frames;
      return [
        {
          ...clip,
          start: from - range.start,
          frames: to - from,
          offset: clip.offset + from - clip.start,
          ...(isWhole ? {} : { fadeIn: NO_FADE, fadeOut: NO_FADE }),
        },
      ];
    }),
  );

const isAudioRate = (rate: number): boolean => Number.isInteger(rate) && rate >= 8000 && rate <= 768000;

const shapeIn = (value: unknown, otherwise: FadeShape): FadeShape =>
  (["linear", "equal power", "S", "slow", "quick"] as const).find((s) => s === value) ?? otherwise;

function laneIn(lane: Loose): readonly TimelineLane[] {
  const target = (["fader", "pan", "mute", "send"] as const).find((t) => t === lane["target"]);
  if (!target) return [];
  const send = lane["send"];
  const points = listIn(lane["points"])
    .filter(isLoose)
    .map((p): TimelinePoint => ({
      frame: Math.max(0, Math.round(numberIn(p["frame"]))),
      value: numberIn(p["value"]),
      shape: p["shape"] === "hold" ? "hold" : "linear",
    }));
  return points.length === 0 ? [] : [{ target, send: typeof send === "number" ? send : null, points }];
}

function frameRateIn(value: unknown): Timeline["frameRate"] {
  if (!isLoose(value)) return null;
  const numerator = numberIn(value["numerator"]);
  const denominator = numberIn(value["denominator"]);
  return numerator > 0 && denominator > 0 ? { numerator, denominator, isDrop: value["isDrop"] === true } : null;
}

/** The rate that files of audio are said to have, where any is. */
function likelyRate(file: Loose): number | null {
  const seen = new Map<number, number>();
  const waiting: { readonly value: unknown; readonly depth: number }[] = [{ value: file["tracks"], depth: 0 }];
  for (let n = 0; n < MOST_ITEMS; n++) {
    const next = waiting.pop();
    if (!next) break;
    const { value, depth } = next;
    if (!isLoose(value) || depth > DEEPEST) continue;
    for (const child of listIn(value["children"])) waiting.push({ value: child, depth: depth + 1 });
    for (const reference of [value["media_reference"], ...Object.values(looseIn(value["media_references"]))]) {
      const rate = numberIn(looseIn(looseIn(looseIn(reference)["available_range"])["duration"])["rate"]);
      if (isAudioRate(rate)) seen.set(rate, (seen.get(rate) ?? 0) + 1);
    }
    const rate = numberIn(looseIn(looseIn(value["source_range"])["duration"])["rate"]);
    if (isAudioRate(rate)) seen.set(rate, (seen.get(rate) ?? 0) + 1);
  }
  return [...seen].sort((a, b) => b[1] - a[1])[0]?.[0] ?? null;
}

/** Two tracks with one id would be taken for one. */
function unique(tracks: readonly TimelineTrack[]): readonly TimelineTrack[] {
  const taken = new Set<string>();
  return tracks.map((t, i) => {
    const id = taken.has(t.id) ? `${t.id}~${i}` : t.id;
    taken.add(id);
    return id === t.id ? t : { ...t, id };
  });
}
