/* eslint-disable max-lines -- one walk over one file format, with the state that all of its elements share */
import { dbToGain, gainToDb } from "../../math";
import type { Fate, Part } from "../../timeline/loss";
import { Losses } from "../../timeline/loss";
import { usableTempo } from "../../timeline/maps";
import type { ReadTimeline } from "../../timeline/places";
import { FrameGrid } from "../../timeline/places";
import type {
  Timeline,
  TimelineClip,
  TimelineDevice,
  TimelineFade,
  TimelineLane,
  TimelineMedia,
  TimelineNote,
  TimelineNoteClip,
  TimelinePoint,
  TimelineTrack,
} from "../../timeline/timeline";
import { NO_FADE, emptyTimeline, plainTrack } from "../../timeline/timeline";
import type { MeterPoint } from "../../time/meter";
import type { TempoMap, TempoPoint } from "../../time/tempo";
import { tempoMap } from "../../time/tempo";
import { TICKS_PER_QUARTER } from "../../units";
import { MalformedFile } from "../bytes/bytes";
import { fileOfPath } from "../paths/url";
import type { XmlElement } from "../xml/tree";
import { childOf, childrenOf, numberOf, parseXml } from "../xml/tree";

type TimeUnit = "beats" | "seconds";
const MOST_ROUNDS = 10_000;
const MOST_CLIPS = 200_000;
const OFF_DB = -144;

/**
 * Reads the `project.xml` of any DAWproject. `stateOf`: a device's state by its path in the ZIP, where
 * it is one of this program's. Throws `MalformedFile`. DAWproject 1.0, Project.xsd.
 */
export function readDawproject(xml: string, title: string, stateOf: (path: string) => string | null): ReadTimeline {
  const root = parseXml(xml);
  if (root.name !== "Project") throw new MalformedFile(`This is a ${root.name}, not a DAWproject`);
  return new ProjectReader(root, stateOf).read(title);
}

/** The title in a `metadata.xml`; null where there is none, or it cannot be read. */
export function titleIn(xml: string): string | null {
  try {
    return childOf(parseXml(xml), "Title")?.text.trim() || null;
  } catch (error) {
    if (error instanceof MalformedFile) return null;
    throw error;
  }
}

/** Where a timeline within the project begins, and in what it counts. */
interface Zero {
  readonly unit: TimeUnit;
  /** Of its zero on the arrangement, in beats or seconds, as `unit` says. */
  readonly at: number;
}

/** What is placed on a track. */
interface Placed {
  readonly clips: TimelineClip[];
  readonly notes: TimelineNoteClip[];
  readonly lanes: TimelineLane[];
}

class ProjectReader {
  private readonly losses = new Losses();
  private readonly grid: FrameGrid;
  private readonly map: TempoMap;
  private readonly tempo: readonly TempoPoint[] | null;
  private readonly media = new Map<string, TimelineMedia>();
  private readonly placed = new Map<string, Placed>();
  /** Whose parameter an id is. */
  private readonly parameters = new Map<string, { readonly track: string; readonly lane: LaneTarget }>();
  private clips = 0;

  constructor(
    private readonly root: XmlElement,
    private readonly stateOf: (path: string) => string | null,
  ) {
    this.tempo = this.tempoOf();
    const rate = rateOf(root);
    this.grid = new FrameGrid(rate, this.losses);
    this.map = tempoMap(this.tempo ?? [{ tick: 0, bpm: 120, shape: "hold" }], rate);
  }

  read(title: string): ReadTimeline {
    const { root, losses } = this;
    const channels = new Map<string, string>();
    const tracks = this.structure(childrenOf(childOf(root, "Structure"), "Track"), null, channels);
    const arrangement = childOf(root, "Arrangement");
    const lanes = childOf(arrangement, "Lanes");
    if (lanes) this.lanes(lanes, { unit: unitOf(lanes, "beats"), at: 0 }, null);
    for (const scene of childrenOf(childOf(root, "Scenes"), "Scene"))
      this.say("clips", "left out", "", scene.attributes["name"] ?? "a scene");
    this.unread(root, "");
    const meter = this.meterOf(arrangement);
    const markers = childOf(arrangement, "Markers");
    const timeline: Timeline = {
      ...emptyTimeline(title || "DAWproject", this.grid.rate),
      tempo: this.tempo,
      meter: meter?.points ?? null,
      leadIn: meter?.leadIn ?? 0,
      markers: childrenOf(markers, "Marker").map((m) => ({
        name: m.attributes["name"] ?? "",
        frame: this.frame({ unit: unitOf(markers, "beats"), at: 0 }, numberOf(m, "time", 0)),
      })),
      media: [...this.media.values()],
      tracks: tracks.map(({ id, channel, ...track }) => {
        const placed = this.placed.get(id);
        const to = channels.get(channel.attributes["destination"] ?? "");
        const target = tracks.find((t) => t.id === to);
        const isNotes = track.kind === "notes" && (placed?.clips.length ?? 0) === 0;
        return {
          ...track,
          id,
          kind:
            track.kind === "notes" && !isNotes
              ? "audio"
              : track.kind === "audio" && hasNotes(placed)
                ? "notes"
                : track.kind,
          output: target?.kind === "group" ? target.id : null,
          clips: [...(placed?.clips ?? [])].sort((a, b) => a.start - b.start),
          notes: [...(placed?.notes ?? [])].sort((a, b) => a.start - b.start),
          lanes: placed?.lanes ?? [],
          sends: track.sends.flatMap((s) => {
            const send = channels.get(s.to);
            if (send === undefined) this.say("sends", "left out", track.name, "to a channel that is not in the file");
            return send === undefined ? [] : [{ ...s, to: send }];
          }),
        };
      }),
    };
    return { timeline: { ...timeline, tracks: timeline.tracks.flatMap(oneKind) }, losses: losses.list, embedded: NONE };
  }

  /** Tells what the format knows of and this program does not. Project.xsd. */
  private unread(element: XmlElement, where: string): void {
    const { name, attributes, children } = element;
    const here = name === "Track" || name === "Clip" ? attributes["name"] || where : where;
    for (const mark of ["color", "comment"])
      if (attributes[mark] !== undefined) this.say("colours and comments", "left out", here, mark);
    if (name === "Channel" && attributes["solo"] === "true") this.say("solos", "left out", here);
    if (name === "Note") {
      const isReleased = attributes["rel"] !== undefined && attributes["rel"] !== attributes["vel"];
      if (isReleased) this.say("note expressions", "left out", here, "release velocity");
      if (children.length > 0) this.say("note expressions", "left out", here, "within notes");
    }
    if (name === "Video") this.say("what it holds beside sound", "left out", here, "a picture");
    for (const child of children) this.unread(child, here);
  }

  private say(part: Part, fate: Fate, where: string, detail = ""): void {
    this.losses.add(part, fate, where, 1, detail);
  }

  /** Tracks with what runs into them in front; `channels`: which track a channel is of. */
  private structure(
    tracks: readonly XmlElement[],
    parent: string | null,
    channels: Map<string, string>,
  ): (TimelineTrack & { readonly channel: XmlElement })[] {
    return tracks.flatMap((track) => {
      const channel = childOf(track, "Channel") ?? NOTHING;
      const inner = childrenOf(track, "Track");
      const id = track.attributes["id"] ?? `track-${channels.size}`;
      if (channels.size > 2000) throw new MalformedFile("There are more than 2000 tracks");
      channels.set(channel.attributes["id"] ?? `#${id}`, id);
      const name = track.attributes["name"] ?? "";
      const content = (track.attributes["contentType"] ?? "").split(/\s+/);
      const role = channel.attributes["role"] ?? "regular";
      const kind =
        role === "master" && !content.includes("tracks")
          ? "mix"
          : inner.length > 0 || content.includes("tracks") || role === "submix"
            ? "group"
            : role === "effect"
              ? "return"
              : content.includes("notes") && !content.includes("audio")
                ? "notes"
                : "audio";
      if (role === "vca") this.say("groups", "left out", name);
      const made = {
        ...plainTrack({ id, name, kind: role === "vca" ? "audio" : kind, output: parent }),
        channels: channel.attributes["audioChannels"] === "1" ? (1 as const) : (2 as const),
        ...this.settings(channel, id, name),
        channel,
      };
      return [...this.structure(inner, id, channels), ...(role === "vca" ? [] : [made])];
    });
  }

  private settings(channel: XmlElement, track: string, name: string) {
    const know = (element: XmlElement | undefined, lane: LaneTarget) => {
      const id = element?.attributes["id"];
      if (id !== undefined) this.parameters.set(id, { track, lane });
    };
    const [volume, pan, mute] = ["Volume", "Pan", "Mute"].map((n) => childOf(channel, n));
    know(volume, { target: "fader", send: null });
    know(pan, { target: "pan", send: null });
    know(mute, { target: "mute", send: null });
    const sends = childrenOf(childOf(channel, "Sends"), "Send").flatMap((send, k) => {
      if (childOf(send, "Enable")?.attributes["value"] === "false") {
        this.say("sends", "left out", name, "switched off");
        return [];
      }
      const level = childOf(send, "Volume");
      know(level, { target: "send", send: k });
      return [
        {
          to: send.attributes["destination"] ?? "",
          gainDb: dbOf(level),
          position: send.attributes["type"] === "pre" ? ("before fader" as const) : ("after fader" as const),
        },
      ];
    });
    return {
      faderDb: dbOf(volume),
      pan: panOf(pan),
      mute: mute?.attributes["value"] === "true",
      sends,
      devices: (childOf(channel, "Devices")?.children ?? []).map((d) => this.device(d)),
    };
  }

  private device(element: XmlElement): TimelineDevice {
    const path = childOf(element, "State")?.attributes["path"];
    return {
      name: element.attributes["deviceName"] ?? element.attributes["name"] ?? element.name,
      isInstrument: element.attributes["deviceRole"] === "instrument",
      isOn: childOf(element, "Enabled")?.attributes["value"] !== "false",
      state: (path === undefined ? null : this.stateOf(path)) ?? "",
    };
  }

  private tempoOf(): readonly TempoPoint[] | null {
    const { root } = this;
    const fixed = childOf(childOf(root, "Transport"), "Tempo");
    const moving = childOf(childOf(root, "Arrangement"), "TempoAutomation");
    const unit = unitOf(moving, "beats");
    const points = childrenOf(moving, "RealPoint").map((p): TempoPoint => {
      const bpm = Math.max(10, Math.min(500, numberOf(p, "value", 120)));
      const tick = Math.max(0, Math.round(numberOf(p, "time", 0) * TICKS_PER_QUARTER));
      return { tick, bpm, shape: p.attributes["interpolation"] === "linear" ? "ramp" : "hold" };
    });
    if (points.length > 0 && unit === "seconds") {
      this.say("tempo", "approximated", "", "its changes are told in seconds: only the first is used");
      return [{ tick: 0, bpm: points[0]?.bpm ?? 120, shape: "hold" }];
    }
    if (points.length > 0)
      return usableTempo(points.map((p, i) => (i < points.length - 1 ? p : { ...p, shape: "hold" })));
    return fixed ? [{ tick: 0, bpm: Math.max(10, Math.min(500, numberOf(fixed, "value", 120))), shape: "hold" }] : null;
  }

  /** Meters by the bars on which they begin; a change inside a bar is left out. */
  private meterOf(
    arrangement: XmlElement | undefined,
  ): { readonly points: readonly MeterPoint[]; readonly leadIn: number } | null {
    const fixed = childOf(childOf(this.root, "Transport"), "TimeSignature");
    const found = childrenOf(childOf(arrangement, "TimeSignatureAutomation"), "TimeSignaturePoint");
    const points: MeterPoint[] = [];
    let leadIn = 0;
    let at = 0;
    for (const point of found.length > 0 ? found : fixed ? [fixed] : []) {
      const tick = Math.round(numberOf(point, "time", 0) * TICKS_PER_QUARTER);
      const numerator = numberOf(point, "numerator", 4);
      const denominator = ([1, 2, 4, 8, 16, 32] as const).find((d) => d === numberOf(point, "denominator", 4));
      const last = points.at(-1);
      const bars = last ? ((tick - at) * last.denominator) / (last.numerator * 4 * TICKS_PER_QUARTER) : 0;
      const isUsable = denominator !== undefined && Number.isInteger(numerator) && numerator >= 1 && numerator <= 64;
      if (!isUsable || !Number.isInteger(bars) || (last && bars < 1) || tick < 0) {
        this.say("meter", "left out", "");
        continue;
      }
      if (!last) leadIn = tick;
      points.push({ bar: (last?.bar ?? 1) + bars, numerator, denominator });
      at = tick;
    }
    return points.length === 0 ? null : { points, leadIn };
  }

  private frame({ unit, at }: Zero, time: number): number {
    if (unit === "seconds") return this.grid.at((at + time) * this.grid.rate, this.grid.rate);
    return this.map.toFrames((at + time) * TICKS_PER_QUARTER);
  }

  private beats({ unit, at }: Zero, time: number): number {
    return unit === "beats" ? at + time : this.ticksAt(at + time) / TICKS_PER_QUARTER;
  }

  private ticksAt(seconds: number): number {
    return this.map.toTicks(seconds * this.grid.rate);
  }

  /** A place counted in another unit. */
  private zeroIn(unit: TimeUnit, zero: Zero, time: number): Zero {
    if (unit === zero.unit) return { unit, at: zero.at + time };
    return unit === "beats"
      ? { unit, at: this.beats(zero, time) }
      : { unit, at: this.map.toSeconds((zero.at + time) * TICKS_PER_QUARTER) };
  }

  private of(track: string): Placed {
    let placed = this.placed.get(track);
    if (!placed) this.placed.set(track, (placed = { clips: [], notes: [], lanes: [] }));
    return placed;
  }

  private lanes(element: XmlElement, zero: Zero, outer: string | null): void {
    const track = element.attributes["track"] ?? outer;
    const here = this.zeroIn(unitOf(element, zero.unit), zero, 0);
    for (const child of element.children) {
      if (child.name === "Lanes") this.lanes(child, here, track);
      else if (track === null) {
        if (child.name === "Points") this.say("automation", "left out", "", "of no track");
        else if (child.name === "Clips")
          for (const clip of childrenOf(child, "Clip"))
            this.say("clips", "left out", clip.attributes["name"] ?? "", "on no track");
      } else if (child.name === "Clips") {
        const inside = this.zeroIn(unitOf(child, here.unit), here, 0);
        for (const clip of childrenOf(child, "Clip")) this.clip(clip, inside, track, WIDE, OPEN);
      } else if (child.name === "Points") this.points(child, here);
      else if (child.name === "Notes" || child.name === "Audio" || child.name === "Warps")
        this.say("clips", "left out", "", `${child.name} outside of a clip`);
    }
  }

  /** A clip, seen through a window of frames: what of it lies outside is not heard. */
  private clip(element: XmlElement, zero: Zero, track: string, window: Window, outer: Outer): void {
    if (++this.clips > MOST_CLIPS) throw new MalformedFile(`There are more than ${MOST_CLIPS} clips`);
    const time = numberOf(element, "time", 0);
    const unit = unitOf(element, zero.unit, "contentTimeUnit");
    const playStart = numberOf(element, "playStart", 0);
    const playStop = element.attributes["playStop"] === undefined ? null : numberOf(element, "playStop", 0);
    const length =
      element.attributes["duration"] !== undefined
        ? { zero, duration: numberOf(element, "duration", 0) }
        : playStop !== null
          ? { zero: this.zeroIn(unit, zero, time), duration: playStop - playStart }
          : null;
    const from = this.frame(zero, time);
    const until = length ? this.frame(length.zero, (length.zero === zero ? time : 0) + length.duration) : Infinity;
    const seen = { from: Math.max(window.from, from), to: Math.min(window.to, until) };
    if (seen.to <= seen.from) return;
    const loopEnd = numberOf(element, "loopEnd", 0);
    const loopStart = numberOf(element, "loopStart", 0);
    const loops = loopEnd > loopStart ? loopEnd - loopStart : null;
    const content = this.contentOf(element);
    if (!content) {
      this.say("clips", "left out", element.attributes["name"] ?? "");
      return;
    }
    const isMuted = outer.isMuted || element.attributes["enable"] === "false";
    const around: Outer = { ...this.edges(content.what, element, zero, seen, outer), isMuted };
    const start = this.zeroIn(unit, zero, time);
    // Each round of a loop is the same content a little later, seen through its own window.
    for (let round = 0; round < MOST_ROUNDS; round++) {
      const before = round === 0 ? 0 : loops === null ? Infinity : loopEnd - playStart + (round - 1) * loops;
      if (before === Infinity) break;
      const end = loops === null ? Infinity : loopEnd - playStart + round * loops;
      const roundFrom = Math.max(seen.from, this.frame(start, before));
      const roundTo = Math.min(seen.to, end === Infinity ? Infinity : this.frame(start, end));
      if (roundFrom >= seen.to) break;
      if (roundTo > roundFrom)
        this.content(content, element, {
          zero: { unit, at: start.at + before - (round === 0 ? playStart : loopStart) },
          track,
          window: { from: roundFrom, to: roundTo },
          isFirst: round === 0,
          outer: around,
        });
      if (loops === null || loops <= 0) break;
    }
    for (const edge of around.edges)
      if (!edge.isUsed && !outer.edges.includes(edge))
        this.say("fades", "left out", element.attributes["name"] ?? "", "around several clips");
  }

  /** Fades of a clip that holds others, at its own ends: for the clips in it that reach there. */
  private edges(what: XmlElement, clip: XmlElement, zero: Zero, seen: Window, outer: Outer): Pick<Outer, "edges"> {
    if (what.name !== "Clips") return { edges: outer.edges };
    const unit = unitOf(clip, zero.unit, "fadeTimeUnit");
    const fade = (attribute: string, frame: number, way: 1 | -1) => {
      const length = numberOf(clip, attribute, 0);
      if (length <= 0 || !Number.isFinite(frame)) return [];
      const at = this.zeroIn(unit, { unit: "seconds", at: frame / this.grid.rate }, 0);
      return [{ frame, way, fade: this.fade(length, at, way), isUsed: false }];
    };
    return { edges: [...outer.edges, ...fade("fadeInTime", seen.from, 1), ...fade("fadeOutTime", seen.to, -1)] };
  }

  /** The one thing in a clip, with its gain where it has one. */
  private contentOf(element: XmlElement): { readonly what: XmlElement; readonly gainDb: number } | null {
    const inner = childOf(element, "Lanes");
    const list = inner ? inner.children : element.children;
    const what = list.find((c) => ["Audio", "Notes", "Warps", "Clips"].includes(c.name));
    if (!what) return null;
    const gain = list.find((c) => c.name === "Points" && childOf(c, "Target")?.attributes["expression"] === "gain");
    const [first, ...more] = gain ? childrenOf(gain, "RealPoint") : [];
    if (more.length > 0) this.say("clip gain", "approximated", element.attributes["name"] ?? "", "it moves");
    for (const c of list)
      if (c.name === "Points" && c !== gain) this.say("automation", "left out", element.attributes["name"] ?? "");
    return { what, gainDb: first ? dbFrom(numberOf(first, "value", 1), gain?.attributes["unit"]) : 0 };
  }

  private content(
    { what, gainDb }: { readonly what: XmlElement; readonly gainDb: number },
    clip: XmlElement,
    {
      zero,
      track,
      window,
      isFirst,
      outer,
    }: { zero: Zero; track: string; window: Window; isFirst: boolean; outer: Outer },
  ): void {
    if (what.name === "Notes") this.notes(what, clip, zero, track, window, outer.isMuted);
    else if (what.name === "Clips") {
      const inside = this.zeroIn(unitOf(what, zero.unit), zero, 0);
      for (const child of childrenOf(what, "Clip")) this.clip(child, inside, track, window, outer);
    } else this.audio(what, clip, { zero, track, window, isFirst, gainDb, outer });
  }

  private notes(
    element: XmlElement,
    clip: XmlElement,
    zero: Zero,
    track: string,
    window: Window,
    isMuted: boolean,
  ): void {
    const name = clip.attributes["name"] ?? "";
    const here = this.zeroIn("beats", zero, 0);
    const unit = unitOf(element, zero.unit);
    const tickAt = (frame: number) => this.map.toTicks(frame);
    const start = tickAt(window.from);
    const end = window.to === Infinity ? null : tickAt(window.to);
    const notes = childrenOf(element, "Note").flatMap((note): TimelineNote[] => {
      const time = numberOf(note, "time", 0);
      const from =
        unit === "beats" && zero.unit === "beats" ? here.at + time : this.beats(this.zeroIn(unit, zero, time), 0);
      const duration = numberOf(note, "duration", 0);
      const until = unit === "beats" ? from + duration : this.beats(this.zeroIn(unit, zero, time + duration), 0);
      const tick = Math.round(from * TICKS_PER_QUARTER);
      const stop = Math.round(until * TICKS_PER_QUARTER);
      if (tick < start || (end !== null && tick >= end)) return [];
      return [
        {
          tick: tick - start,
          ticks: Math.max(1, (end === null ? stop : Math.min(stop, end)) - tick),
          pitch: Math.max(0, Math.min(127, Math.round(numberOf(note, "key", 60)))),
          velocity: Math.max(1, Math.min(127, Math.round(numberOf(note, "vel", 0.8) * 127))),
        },
      ];
    });
    const last = notes.reduce((most, n) => Math.max(most, n.tick + n.ticks), 1);
    this.of(track).notes.push({
      name,
      start,
      ticks: Math.max(1, end === null ? last : end - start),
      notes: notes.sort((a, b) => a.tick - b.tick || a.pitch - b.pitch),
      ...(isMuted ? { muted: true as const } : {}),
    });
  }

  private audio(
    what: XmlElement,
    clip: XmlElement,
    {
      zero,
      track,
      window,
      isFirst,
      gainDb,
      outer,
    }: { zero: Zero; track: string; window: Window; isFirst: boolean; gainDb: number; outer: Outer },
  ): void {
    const name = clip.attributes["name"] ?? "";
    const audio = what.name === "Warps" ? childOf(what, "Audio") : what;
    const path = childOf(audio, "File")?.attributes["path"];
    if (!audio || path === undefined) return this.say("clips", "left out", name, "no file is named");
    const rate = numberOf(audio, "sampleRate", this.grid.rate);
    const frames = Math.round(numberOf(audio, "duration", 0) * rate);
    const media = this.mediaOf(path, childOf(audio, "File")?.attributes["external"] === "true", {
      rate: rate >= 1000 && rate <= 768000 ? rate : this.grid.rate,
      frames,
      channels: numberOf(audio, "channels", 2),
    });
    // Where the file's first frame would stand.
    let first = this.frame(zero, 0);
    if (what.name === "Warps") first = this.warped(what, zero, name);
    const to = window.to === Infinity ? first + this.grid.at(frames, media.rate) : window.to;
    const offset = window.from - first;
    if (to <= window.from) return;
    if (offset < 0) this.say("clips", "approximated", name, "they begin before their files do");
    const unit = unitOf(clip, zero.unit, "fadeTimeUnit");
    const start = window.from - Math.min(0, offset);
    if (to <= start) return;
    const from = this.zeroIn(unit, { unit: "seconds", at: start / this.grid.rate }, 0);
    const fadeIn = this.ownOr(
      isFirst ? this.fade(numberOf(clip, "fadeInTime", 0), from, 1) : NO_FADE,
      outer.edges.find((e) => e.way === 1 && e.frame === start && e.fade.frames <= to - start),
    );
    const end = this.zeroIn(unit, { unit: "seconds", at: to / this.grid.rate }, 0);
    const fadeOut = this.ownOr(
      this.fade(numberOf(clip, "fadeOutTime", 0), end, -1),
      outer.edges.find((e) => e.way === -1 && e.frame === to && e.fade.frames <= to - start - fadeIn.frames),
    );
    const { clips } = this.of(track);
    clips.push({
      name: name || fileOfPath(path),
      media: media.id,
      channel: null,
      start,
      frames: to - start,
      offset: Math.max(0, offset),
      gainDb,
      fadeIn,
      fadeOut,
      crossfade: false,
      ...(outer.isMuted ? { muted: true as const } : {}),
    });
  }

  /** A clip's own fade; where it has none, that of the clip around it which ends there, too. */
  private ownOr(own: TimelineFade, around: Edge | undefined): TimelineFade {
    if (own.frames > 0 || !around) return own;
    around.isUsed = true;
    return around.fade;
  }

  /** Length of a fade that reaches from a place forwards or backwards. */
  private fade(length: number, at: Zero, way: 1 | -1): TimelineFade {
    if (length <= 0) return NO_FADE;
    if (at.unit === "seconds")
      return { frames: this.grid.at(length * this.grid.rate, this.grid.rate), shape: "linear" };
    const frames = Math.abs(this.frame(at, way * length) - this.frame(at, 0));
    return frames === 0 ? NO_FADE : { frames, shape: "linear" };
  }

  /** Where the first frame of a file stands that lies on a grid of warps; where those stretch it, that is said. */
  private warped(what: XmlElement, zero: Zero, name: string): number {
    const here = this.zeroIn(unitOf(what, zero.unit), zero, 0);
    const inSeconds = unitOf(what, "seconds", "contentTimeUnit") === "seconds";
    const warps = childrenOf(what, "Warp").map((w) => ({
      frame: this.frame(here, numberOf(w, "time", 0)),
      content: numberOf(w, "contentTime", 0),
    }));
    const [a] = warps;
    if (!a) return this.frame(here, 0);
    const content = (w: { readonly content: number }) => (inSeconds ? Math.round(w.content * this.grid.rate) : null);
    const ideal = a.frame - (content(a) ?? 0);
    // Within a millisecond nothing is stretched that anybody would hear.
    const isStretched = warps.some((w) => Math.abs(w.frame - (content(w) ?? w.frame) - ideal) > this.grid.rate / 1000);
    if (isStretched || !inSeconds) this.say("speed changes", "left out", name, "plays at its own speed");
    return ideal;
  }

  private mediaOf(
    path: string,
    isOutside: boolean,
    facts: Pick<TimelineMedia, "rate" | "frames" | "channels">,
  ): TimelineMedia {
    const known = this.media.get(path);
    if (known) return known;
    const made: TimelineMedia = {
      id: path,
      name: fileOfPath(path).replace(/\.[^.]*$/, ""),
      ...facts,
      sha256: null,
      timeReference: null,
      path,
    };
    this.media.set(path, made);
    if (isOutside) this.say("names", "kept", "", `${path} lies outside`);
    return made;
  }

  private points(element: XmlElement, zero: Zero): void {
    const of = this.parameters.get(childOf(element, "Target")?.attributes["parameter"] ?? "");
    if (!of) return this.say("device automation", "left out", "");
    const here = this.zeroIn(unitOf(element, zero.unit), zero, 0);
    const unit = element.attributes["unit"];
    const { target, send } = of.lane;
    const points = element.children.flatMap((p): TimelinePoint[] => {
      if (p.name !== "RealPoint" && p.name !== "BoolPoint") return [];
      const frame = Math.max(0, this.frame(here, numberOf(p, "time", 0)));
      if (p.name === "BoolPoint") return [{ frame, value: p.attributes["value"] === "true" ? 1 : 0, shape: "hold" }];
      const raw = numberOf(p, "value", 0);
      const value = target === "pan" ? panFrom(raw, unit) : target === "mute" ? raw : dbFrom(raw, unit);
      return [{ frame, value, shape: p.attributes["interpolation"] === "linear" ? "linear" : "hold" }];
    });
    if (points.length > 0) this.of(of.track).lanes.push({ target, send, points });
  }
}

type LaneTarget = Pick<TimelineLane, "target" | "send">;
interface Window {
  readonly from: number;
  readonly to: number;
}
/** A fade at an end of a clip that holds others. */
interface Edge {
  readonly frame: number;
  readonly way: 1 | -1;
  readonly fade: TimelineFade;
  isUsed: boolean;
}
/** What the clips around a clip do to it. */
interface Outer {
  readonly edges: readonly Edge[];
  readonly isMuted: boolean;
}
const OPEN: Outer = { edges: [], isMuted: false };
const WIDE: Window = { from: -Infinity, to: Infinity };
const NOTHING: XmlElement = { name: "Channel", attributes: {}, children: [], text: "" };
const NONE: ReadonlyMap<string, never> = new Map<string, never>();
const hasNotes = (placed: Placed | undefined): boolean =>
  placed !== undefined && placed.notes.length > 0 && placed.clips.length === 0;

/** Audio and notes of one track stand on two here. */
function oneKind(track: TimelineTrack): readonly TimelineTrack[] {
  const marked = { ...track, clips: crossfaded(track.clips) };
  if (track.clips.length === 0 || track.notes.length === 0) return [marked];
  return [
    { ...marked, notes: [] },
    { ...marked, id: `${track.id}-notes`, name: `${track.name} notes`, kind: "notes", clips: [], sends: [], lanes: [] },
  ];
}

/** Of two clips that overlap by the length of both of their fades, the second crossfades. */
function crossfaded(clips: readonly TimelineClip[]): readonly TimelineClip[] {
  return clips.map((clip, i) => {
    const last = clips[i - 1];
    const shared = last ? last.start + last.frames - clip.start : 0;
    const isCrossfade = shared > 0 && shared === clip.fadeIn.frames && shared === last?.fadeOut.frames;
    return isCrossfade ? { ...clip, crossfade: true } : clip;
  });
}

function unitOf(element: XmlElement | undefined, otherwise: TimeUnit, attribute = "timeUnit"): TimeUnit {
  const unit = element?.attributes[attribute];
  return unit === "seconds" || unit === "beats" ? unit : otherwise;
}

/** Kept to a millionth of a decibel: gains are written with more digits than that needs. */
function dbFrom(value: number, unit: string | undefined): number {
  const db = unit === "decibel" ? value : value <= dbToGain(OFF_DB) ? OFF_DB : gainToDb(value);
  return Math.max(OFF_DB, Math.round(db * 1e6) / 1e6);
}

const dbOf = (volume: XmlElement | undefined): number =>
  volume ? dbFrom(numberOf(volume, "value", 1), volume.attributes["unit"]) : 0;

function panFrom(value: number, unit: string | undefined): number {
  const pan = unit === "linear" ? value : unit === "percent" ? value / 50 - 1 : value * 2 - 1;
  return Math.max(-1, Math.min(1, Math.round(pan * 1e9) / 1e9));
}

const panOf = (pan: XmlElement | undefined): number =>
  pan ? panFrom(numberOf(pan, "value", 0.5), pan.attributes["unit"]) : 0;

/** The rate most of its files have. */
function rateOf(root: XmlElement): number {
  const counts = new Map<number, number>();
  const visit = (element: XmlElement) => {
    if (element.name === "Audio") {
      const rate = Number(element.attributes["sampleRate"]);
      if (Number.isInteger(rate) && rate >= 8000 && rate <= 768000) counts.set(rate, (counts.get(rate) ?? 0) + 1);
    }
    element.children.forEach(visit);
  };
  visit(root);
  return [...counts].sort((a, b) => b[1] - a[1])[0]?.[0] ?? 48000;
}
