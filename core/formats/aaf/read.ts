/* eslint-disable max-lines -- one walk over one file format, with the state that all of its clauses share */
import { dbToGain, gainToDb } from "../../math";
import type { Fate, Part } from "../../timeline/loss";
import { Losses } from "../../timeline/loss";
import type { ReadTimeline } from "../../timeline/places";
import { FrameGrid } from "../../timeline/places";
import type {
  FrameRate,
  Timeline,
  TimelineClip,
  TimelineLane,
  TimelineMarker,
  TimelineMedia,
  TimelinePoint,
  TimelineTrack,
} from "../../timeline/timeline";
import { NO_FADE, emptyTimeline, plainTrack } from "../../timeline/timeline";
import type { ByteSource } from "../bytes/bytes";
import { MalformedFile } from "../bytes/bytes";
import { fileOfPath, pathOfUrl } from "../paths/url";
import type { Auid } from "./auid";
import {
  AMPLITUDE,
  CONSTANT,
  LEGACY_SOUND,
  MONO_GAIN,
  MONO_PAN,
  PAN,
  SOUND,
  STEREO_DISSOLVE,
  STEREO_GAIN,
  TOP_LEVEL,
} from "./dictionary";
import { essenceFile, quotedFormat, soundFacts } from "./essence";
import { COMMENT } from "./facts";
import { classes } from "./model";
import type { StoredObject } from "./store";
import { openAaf } from "./store";

/** Numbers of the properties that are read. AAF Object Specification, annex A. */
const P = {
  header: 0x0002,
  content: 0x3b03,
  dictionary: 0x3b04,
  dataDefinitions: 0x2605,
  operationDefinitions: 0x2603,
  identification: 0x1b01,
  definitionName: 0x1b02,
  mobs: 0x1901,
  essenceData: 0x1902,
  essenceMob: 0x2701,
  essenceStream: 0x2702,
  mobId: 0x4401,
  mobName: 0x4402,
  slots: 0x4403,
  mobComments: 0x4406,
  usage: 0x4408,
  essenceDescription: 0x4701,
  slotId: 0x4801,
  slotName: 0x4802,
  segment: 0x4803,
  editRate: 0x4b01,
  eventRate: 0x4901,
  dataDefinition: 0x0201,
  length: 0x0202,
  comments: 0x0204,
  components: 0x1001,
  operation: 0x0b01,
  inputs: 0x0b02,
  parameters: 0x0b03,
  transitionOperation: 0x1801,
  selected: 0x0f01,
  alternates: 0x0f02,
  scopeSlots: 0x0c01,
  choices: 0x0501,
  sourceId: 0x1101,
  sourceSlot: 0x1102,
  channels: 0x1103,
  startTime: 0x1201,
  fadeIn: 0x1202,
  fadeOut: 0x1204,
  fadeInType: 0x1203,
  fadeOutType: 0x1205,
  timecodeStart: 0x1501,
  timecodeFps: 0x1502,
  timecodeDrop: 0x1503,
  position: 0x0601,
  comment: 0x0602,
  parameterDefinition: 0x4c01,
  constant: 0x4d01,
  interpolation: 0x4e01,
  points: 0x4e02,
  pointValue: 0x1a02,
  pointTime: 0x1a03,
  locators: 0x2f01,
  url: 0x4001,
  locatorName: 0x4101,
  tagName: 0x5001,
  tagValue: 0x5003,
} as const;

/** Classes that are met and not written. */
const OTHER_CLASSES: Readonly<Record<Auid, string>> = {
  "0d010101-0101-0f00-060e-2b3402060101": "Sequence",
  "0d010101-0101-0e00-060e-2b3402060101": "Selector",
  "0d010101-0101-0b00-060e-2b3402060101": "NestedScope",
  "0d010101-0101-0500-060e-2b3402060101": "EssenceGroup",
  "0d010101-0101-0d00-060e-2b3402060101": "ScopeReference",
};
const classNames = new Map([
  ...Object.entries(OTHER_CLASSES),
  ...Object.entries(classes).map(([name, { id }]) => [id, name] as const),
]);
const classOf = (object: StoredObject): string => classNames.get(object.classId) ?? "";

const DEEPEST = 32;
const MOST_CLIPS = 500_000;
const MOST_TRACKS = 2000;
const OFF_DB = -144;
const LINEAR_POWER = 2;

interface Rate {
  readonly numerator: number;
  readonly denominator: number;
}
const perSecond = ({ numerator, denominator }: Rate): number => numerator / denominator;

/** Reads the sound of any AAF file; what is embedded is read in place. Throws `MalformedFile`. */
export function readAaf(source: ByteSource): ReadTimeline<ByteSource> {
  const header = openAaf(source).object(P.header);
  if (!header) throw new MalformedFile("The AAF file has no header");
  return new AafReader(header).read();
}

interface Track {
  readonly clips: TimelineClip[];
  readonly gains: TimelinePoint[];
}

class AafReader {
  private readonly losses = new Losses();
  private readonly mobs = new Map<string, StoredObject>();
  private readonly essence = new Map<string, ByteSource>();
  private readonly sound = new Set<Auid>([SOUND, LEGACY_SOUND]);
  private readonly operations = new Map<Auid, string>();
  private readonly media = new Map<string, TimelineMedia>();
  private readonly embedded = new Map<string, ByteSource>();
  private readonly resolved = new Map<string, Resolved>();
  /** Channels that clips and operations ask for, of media whose descriptor does not state them. */
  private readonly asked = new Map<string, number>();
  private grid: FrameGrid;
  private clips = 0;

  constructor(header: StoredObject) {
    const content = header.object(P.content);
    if (!content) throw new MalformedFile("The AAF file has no content");
    const dictionary = header.object(P.dictionary);
    for (const d of dictionary?.list(P.dataDefinitions) ?? []) {
      const id = d.auid(P.identification);
      if (id && /sound/i.test(d.text(P.definitionName) ?? "")) this.sound.add(id);
    }
    for (const d of dictionary?.list(P.operationDefinitions) ?? []) {
      const id = d.auid(P.identification);
      if (id) this.operations.set(id, d.text(P.definitionName) ?? "");
    }
    for (const mob of content.list(P.mobs)) {
      const id = mob.data(P.mobId);
      if (id) this.mobs.set(hex(id), mob);
    }
    for (const data of content.list(P.essenceData)) {
      const id = data.data(P.essenceMob);
      const stream = data.stream(P.essenceStream);
      if (id && stream) this.essence.set(hex(id), stream);
    }
    this.grid = new FrameGrid(48000, this.losses);
  }

  read(): ReadTimeline<ByteSource> {
    const composition = this.topmost();
    const slots = [...composition.list(P.slots)];
    this.grid = new FrameGrid(this.rateOf(slots), this.losses);
    for (const tag of composition.list(P.mobComments)) {
      const name = tag.text(P.tagName) ?? "";
      this.say("colours and comments", "left out", "", name);
    }
    const tracks: TimelineTrack[] = [];
    const markers: TimelineMarker[] = [];
    let timecode: { readonly startFrames: number; readonly frameRate: FrameRate } | null = null;
    for (const slot of slots) {
      const segment = slot.object(P.segment);
      if (!segment) continue;
      if (slot.has(P.eventRate)) for (const marker of this.markersOf(slot, segment)) markers.push(marker);
      else if (slot.has(P.editRate)) {
        if (this.isSound(segment)) {
          if (tracks.length >= MOST_TRACKS) throw new MalformedFile(`There are more than ${MOST_TRACKS} tracks`);
          tracks.push(this.track(slot, segment, tracks.length));
        } else {
          const found = this.timecodeOf(slot, segment);
          if (found === null || timecode !== null) this.leave(slot);
          else timecode = found;
        }
      }
    }
    const timeline: Timeline = {
      ...emptyTimeline(composition.text(P.mobName) ?? "AAF", this.grid.rate),
      ...(timecode ?? {}),
      markers: markers.sort((a, b) => a.frame - b.frame),
      media: [...this.media.values()].map((m) => ({ ...m, channels: this.channelsOf(m) })),
      tracks: tracks.map((t) => ({ ...t, channels: this.isMono(t) ? 1 : 2 })),
    };
    return { timeline, losses: this.losses.list, embedded: this.embedded };
  }

  private say(part: Part, fate: Fate, where: string, detail = ""): void {
    this.losses.add(part, fate, where, 1, detail);
  }

  private leave(slot: StoredObject): void {
    this.say("what it holds beside sound", "left out", slot.text(P.slotName) ?? "");
  }

  private isSound(segment: StoredObject): boolean {
    const data = segment.named(P.dataDefinition);
    return data !== null && this.sound.has(data);
  }

  /** The composition that is meant to be played: that which says so, or the first that no other plays. */
  private topmost(): StoredObject {
    const all = [...this.mobs.values()].filter((m) => classOf(m) === "CompositionMob");
    const stated = all.filter((m) => m.auid(P.usage) === TOP_LEVEL);
    const chosen = stated[0] ?? all[0];
    if (!chosen) throw new MalformedFile("The AAF file holds no composition");
    for (const other of stated.slice(1))
      this.say("what it holds beside sound", "left out", other.text(P.mobName) ?? "", "another composition");
    return chosen;
  }

  private rateOf(slots: readonly StoredObject[]): number {
    const counts = new Map<number, number>();
    const count = (rate: Rate | null, by: number) => {
      if (!rate) return;
      const value = perSecond(rate);
      if (Number.isInteger(value) && value >= 8000 && value <= 768000) counts.set(value, (counts.get(value) ?? 0) + by);
    };
    for (const slot of slots) count(slot.rational(P.editRate), 1000);
    for (const mob of this.mobs.values())
      if (classOf(mob) === "SourceMob") for (const slot of mob.list(P.slots)) count(slot.rational(P.editRate), 1);
    return [...counts].sort((a, b) => b[1] - a[1])[0]?.[0] ?? 48000;
  }

  private track(slot: StoredObject, segment: StoredObject, index: number): TimelineTrack {
    const name = slot.text(P.slotName) ?? `Track ${index + 1}`;
    const rate = this.slotRate(slot);
    const made: Track = { clips: [], gains: [] };
    let here = segment;
    let faderDb = 0;
    let pan = 0;
    let channels = 1;
    const lanes: TimelineLane[] = [];
    // What stands around a whole sequence is the track's own.
    for (let depth = 0; classOf(here) === "OperationGroup"; depth++) {
      if (depth > DEEPEST) throw new MalformedFile(`Operations are nested more than ${DEEPEST} deep`);
      const [input] = here.list(P.inputs);
      if (!input || classOf(input) === "SourceClip") break;
      const operation = here.named(P.operation) ?? "";
      if (STEREO.has(operation)) channels = 2;
      const frames = this.grid.at(here.int64(P.length) ?? 0, perSecond(rate));
      if (isGain(operation)) {
        const found = this.moves(here, AMPLITUDE, 0, frames, dbOf);
        if (found.points) lanes.push({ target: "fader", send: null, points: found.points });
        faderDb += found.value ?? 0;
      } else if (operation === MONO_PAN) {
        const found = this.moves(here, PAN, 0, frames, panOf);
        if (found.points) lanes.push({ target: "pan", send: null, points: found.points });
        pan = found.value ?? 0;
      } else this.say("devices", "left out", name, this.operations.get(operation) ?? "");
      here = input;
    }
    this.walk(here, { at: 0, rate, gainDb: 0, name, depth: 0, channels }, made);
    if (made.gains.length > 0 && !lanes.some((l) => l.target === "fader"))
      lanes.push({ target: "fader", send: null, points: rising(made.gains) });
    const panInLevels = Number(tagIn(here, P.comments, COMMENT.pan) ?? NaN);
    return plainTrack({
      ...(Math.abs(panInLevels) <= 1 ? { panInLevels } : {}),
      id: `slot-${slot.uint32(P.slotId) ?? index}-${index}`,
      name,
      kind: "audio",
      faderDb,
      pan,
      lanes,
      clips: made.clips,
    });
  }

  /** Channels of a file: as it says, else as what plays it asks for, else one, as a sound of AAF has. */
  private channelsOf({ id, channels }: TimelineMedia): number {
    return channels || (this.asked.get(id) ?? 1);
  }

  private isMono({ clips }: TimelineTrack): boolean {
    const isOne = ({ channel, media }: TimelineClip) => {
      const file = this.media.get(media);
      return channel !== null || (file !== undefined && this.channelsOf(file) === 1);
    };
    return clips.length > 0 && clips.every(isOne);
  }

  private slotRate(slot: StoredObject): Rate {
    const rate = slot.rational(P.editRate);
    if (!rate || perSecond(rate) <= 0)
      throw new MalformedFile(`The track "${slot.text(P.slotName) ?? ""}" has no rate`);
    return rate;
  }

  /** Goes through a segment that begins at a place, in units of a rate; answers with its length. */
  private walk(segment: StoredObject, at: Place, track: Track): number {
    if (at.depth > DEEPEST) throw new MalformedFile(`Segments are nested more than ${DEEPEST} deep`);
    const deeper = { ...at, depth: at.depth + 1 };
    const length = segment.int64(P.length) ?? 0;
    switch (classOf(segment)) {
      case "SourceClip":
        this.clip(segment, at, length, track);
        return length;
      case "Sequence":
        return this.sequence(segment, deeper, track);
      case "OperationGroup": {
        const operation = segment.named(P.operation) ?? "";
        const [input] = segment.list(P.inputs);
        const channels = STEREO.has(operation) ? 2 : at.channels;
        let gainDb = at.gainDb;
        if (isGain(operation)) {
          const start = this.grid.at(at.at, perSecond(at.rate));
          const frames = this.grid.at(at.at + length, perSecond(at.rate)) - start;
          const found = this.moves(segment, AMPLITUDE, start, frames, dbOf);
          gainDb += found.value ?? 0;
          for (const point of found.points ?? []) track.gains.push(point);
        } else if (operation === MONO_PAN) this.say("pans", "left out", at.name, "of a single clip");
        else this.say("devices", "left out", at.name, this.operations.get(operation) ?? "");
        if (input) this.walk(input, { ...deeper, gainDb, channels }, track);
        return length;
      }
      case "Selector": {
        const selected = segment.object(P.selected);
        for (const other of segment.list(P.alternates))
          if (classOf(other) !== "Filler") this.say("takes", "left out", at.name);
        if (selected) this.walk(selected, deeper, track);
        return length;
      }
      case "NestedScope": {
        // The last slot is what is heard; the others are there for it to refer to.
        const slots = [...segment.list(P.scopeSlots)];
        for (const other of slots.slice(0, -1))
          if (classOf(other) !== "Filler") this.say("layered clips", "left out", at.name, "of a nested scope");
        const last = slots.at(-1);
        if (last) this.walk(last, deeper, track);
        return length;
      }
      case "EssenceGroup": {
        const [first, ...others] = segment.list(P.choices);
        for (const other of others)
          if (classOf(other) !== "Filler") this.say("takes", "left out", at.name, "another version of the media");
        if (first) this.walk(first, deeper, track);
        return length;
      }
      case "Filler":
        return length;
      default:
        this.say("what it holds beside sound", "left out", at.name, classOf(segment) || "an unknown segment");
        return length;
    }
  }

  /** Components one behind the other; a transition lets the two beside it overlap by its length. */
  private sequence(sequence: StoredObject, place: Place, track: Track): number {
    let at = place.at;
    let before = { kind: "", from: track.clips.length, to: track.clips.length };
    let shared: number | null = null;
    let { channels } = place;
    for (const component of sequence.list(P.components)) {
      const kind = classOf(component);
      if (kind === "Transition") {
        const dissolve = component.object(P.transitionOperation)?.named(P.operation) ?? "";
        if (STEREO.has(dissolve)) channels = 2;
        shared = component.int64(P.length) ?? 0;
        if (shared < 0 || shared > at - place.at)
          throw new MalformedFile(`A transition on "${place.name}" is longer than what it joins`);
        at -= shared;
        continue;
      }
      const from = track.clips.length;
      const length = this.walk(component, { ...place, at, channels }, track);
      if (length < 0) throw new MalformedFile(`A segment on "${place.name}" has a length below 0`);
      const here = { kind, from, to: track.clips.length };
      if (shared !== null) this.join(track, before, here, at, shared, place);
      before = here;
      shared = null;
      at += length;
      if (!Number.isSafeInteger(at)) throw new MalformedFile(`"${place.name}" is longer than anything can be`);
    }
    return at - place.at;
  }

  private join(
    track: Track,
    before: { readonly kind: string; readonly from: number; readonly to: number },
    after: { readonly kind: string; readonly from: number; readonly to: number },
    at: number,
    shared: number,
    { rate, name }: Place,
  ): void {
    const frames = this.grid.at(at + shared, perSecond(rate)) - this.grid.at(at, perSecond(rate));
    if (frames < 1) return;
    const fade = { frames, shape: "linear" as const };
    const [a, b] = [before, after].map((c) => (c.to - c.from === 1 ? c.from : -1)) as [number, number];
    const first = track.clips[a];
    const second = track.clips[b];
    if (first && second) {
      track.clips[a] = { ...first, fadeOut: fade };
      track.clips[b] = { ...second, fadeIn: fade, crossfade: true };
      this.say("crossfades", "kept", name);
    } else if (second && before.kind === "Filler") track.clips[b] = { ...second, fadeIn: fade };
    else if (first && after.kind === "Filler") track.clips[a] = { ...first, fadeOut: fade };
    else this.say("crossfades", "left out", name);
  }

  private clip(clip: StoredObject, place: Place, length: number, track: Track): void {
    const { at, rate, gainDb, name } = place;
    if (++this.clips > MOST_CLIPS) throw new MalformedFile(`There are more than ${MOST_CLIPS} clips`);
    const units = perSecond(rate);
    const start = this.grid.at(at, units);
    const frames = this.grid.at(at + length, units) - start;
    if (frames < 1) return this.say("clips", "left out", name, "they have no length");
    const found = this.source(clip, name);
    if (!found) return;
    // Places in files are counted in the units of the track that plays them.
    const offset = found.offset + this.grid.at(clip.int64(P.startTime) ?? 0, units);
    if (offset < 0) this.say("clips", "approximated", name, "they begin before their files do");
    const fade = (pid: number, type: number) => {
      const fadeFrames = Math.max(0, this.grid.at(clip.int64(pid) ?? 0, units));
      if (fadeFrames === 0) return NO_FADE;
      if (clip.uint8(type) === LINEAR_POWER) this.say("curved fades", "approximated", name);
      return { frames: fadeFrames, shape: "linear" as const };
    };
    const channels = found.channel === null ? place.channels : found.channel + 1;
    this.asked.set(found.media, Math.max(channels, this.asked.get(found.media) ?? 1));
    const media = this.media.get(found.media);
    const own = tagIn(clip, P.comments, COMMENT.clip);
    if (media && media.frames < offset + frames && media.path !== null && media.frames === 0)
      this.media.set(media.id, { ...media, frames: offset + frames });
    track.clips.push({
      name: own ?? found.name,
      media: found.media,
      channel: found.channel,
      start,
      frames,
      offset: Math.max(0, offset),
      gainDb: Math.round(gainDb * 1e6) / 1e6,
      fadeIn: fade(P.fadeIn, P.fadeInType),
      fadeOut: fade(P.fadeOut, P.fadeOutType),
      crossfade: false,
    });
  }

  /** Follows a clip to the file it plays. */
  private source(clip: StoredObject, track: string): Resolved | null {
    const id = clip.data(P.sourceId);
    if (!id || id.every((b) => b === 0)) {
      this.say("clips", "left out", track, "they name no source");
      return null;
    }
    const slot = clip.uint32(P.sourceSlot) ?? 0;
    const key = `${hex(id)} ${slot} ${channelIn(clip) ?? ""}`;
    const known = this.resolved.get(key);
    if (known) return known;
    const found = this.follow(hex(id), slot, track, 0);
    if (!found) return null;
    const made = { ...found, channel: channelIn(clip) ?? found.channel };
    this.resolved.set(key, made);
    return made;
  }

  private follow(id: string, slotId: number, track: string, depth: number): Resolved | null {
    if (depth > DEEPEST) throw new MalformedFile("Sources lead to each other in a circle");
    const mob = this.mobs.get(id);
    if (!mob) return this.missing(id, "a file");
    const name = mob.text(P.mobName) ?? "";
    const descriptor = mob.object(P.essenceDescription);
    if (descriptor) return this.file(id, mob, descriptor, slotId, name);
    if (classOf(mob) === "CompositionMob") {
      this.say("nests", "left out", track, name);
      return null;
    }
    const slots = [...mob.list(P.slots)];
    const slot = slots.find((s) => s.uint32(P.slotId) === slotId) ?? slots[0];
    const inner = slot && this.firstClip(slot.object(P.segment), 0);
    const innerId = inner?.data(P.sourceId);
    if (!slot || !inner || !innerId || innerId.every((b) => b === 0)) return this.missing(id, name || "a file");
    const rate = perSecond(this.slotRate(slot));
    const found = this.follow(hex(innerId), inner.uint32(P.sourceSlot) ?? 0, track, depth + 1);
    if (!found) return null;
    const offset = found.offset + this.grid.at(inner.int64(P.startTime) ?? 0, rate);
    const file = this.media.get(found.media);
    // People know a file by the name of its master.
    if (name !== "" && file) this.media.set(file.id, { ...file, name });
    return { ...found, offset, name: name || found.name };
  }

  /** The first clip of a master's segment: what it is made of. */
  private firstClip(segment: StoredObject | null, depth: number): StoredObject | null {
    if (!segment || depth > DEEPEST) return null;
    switch (classOf(segment)) {
      case "SourceClip":
        return segment;
      case "Sequence":
        for (const c of segment.list(P.components)) if (classOf(c) !== "Filler") return this.firstClip(c, depth + 1);
        return null;
      case "OperationGroup": {
        const [input] = segment.list(P.inputs);
        return this.firstClip(input ?? null, depth + 1);
      }
      case "Selector":
        return this.firstClip(segment.object(P.selected), depth + 1);
      case "EssenceGroup": {
        const [choice] = segment.list(P.choices);
        return this.firstClip(choice ?? null, depth + 1);
      }
      default:
        return null;
    }
  }

  private file(id: string, mob: StoredObject, descriptor: StoredObject, slotId: number, name: string): Resolved {
    const slots = [...mob.list(P.slots)];
    const stated = soundFacts(descriptor, quotedFormat(descriptor));
    // A slot for each channel says how many there are.
    const facts = { ...stated, channels: stated.channels || (slots.length > 1 ? slots.length : 0) };
    const stream = this.essence.get(id) ?? null;
    const index = slots.findIndex((s) => s.uint32(P.slotId) === slotId);
    const channel = facts.channels > 1 && slots.length > 1 && index >= 0 ? index : null;
    if (!this.media.has(id)) {
      const [url] = [...descriptor.list(P.locators)].flatMap((l) => l.text(P.url) ?? l.text(P.locatorName) ?? []);
      const path = stream ? null : url === undefined ? name : pathOfUrl(url);
      const sha256 = this.hashOf(id);
      this.media.set(id, {
        id,
        name: name || (path === null ? "Sound" : fileOfPath(path)),
        frames: facts.frames,
        rate: facts.rate,
        channels: facts.channels,
        sha256,
        timeReference: null,
        path,
      });
      if (stream) this.embedded.set(id, essenceFile(stream, facts));
    }
    return { media: id, offset: 0, channel, name };
  }

  /** The hash that the master of a file says it has. */
  private hashOf(source: string): string | null {
    for (const mob of this.mobs.values()) {
      if (classOf(mob) !== "MasterMob") continue;
      const hash = tagIn(mob, P.mobComments, COMMENT.sha256);
      if (hash === null || !/^[0-9a-f]{64}$/.test(hash)) continue;
      for (const slot of mob.list(P.slots)) {
        const id = this.firstClip(slot.object(P.segment), 0)?.data(P.sourceId);
        if (id && hex(id) === source) return hash;
      }
    }
    return null;
  }

  private missing(id: string, name: string): Resolved {
    if (!this.media.has(id))
      this.media.set(id, {
        id,
        name,
        frames: 0,
        rate: this.grid.rate,
        channels: 0,
        sha256: null,
        timeReference: null,
        path: name,
      });
    return { media: id, offset: 0, channel: null, name };
  }

  /** What a parameter of an operation is set to, or how it moves over a stretch. */
  private moves(
    group: StoredObject,
    parameter: Auid,
    start: number,
    frames: number,
    valueOf: (v: number) => number,
  ): { readonly value: number | null; readonly points: readonly TimelinePoint[] | null } {
    for (const p of group.list(P.parameters)) {
      if (p.auid(P.parameterDefinition) !== parameter) continue;
      if (p.has(P.constant)) return { value: valueOf(p.indirectNumber(P.constant) ?? 1), points: null };
      const holds = p.named(P.interpolation) === CONSTANT;
      const points = [...p.list(P.points)].flatMap((c): TimelinePoint[] => {
        const time = c.rational(P.pointTime);
        const value = c.indirectNumber(P.pointValue);
        if (!time || value === null) return [];
        const frame = start + Math.round((time.numerator / time.denominator) * frames);
        return [{ frame: Math.max(0, frame), value: valueOf(value), shape: holds ? "hold" : "linear" }];
      });
      if (points.length > 0) return { value: null, points: withHolds(rising(points)) };
    }
    return { value: null, points: null };
  }

  private markersOf(slot: StoredObject, segment: StoredObject): readonly TimelineMarker[] {
    const rate = slot.rational(P.eventRate);
    const events = classOf(segment) === "Sequence" ? [...segment.list(P.components)] : [segment];
    return events.flatMap((e): TimelineMarker[] => {
      if (classOf(e) !== "CommentMarker" || !rate) return [];
      const frame = this.grid.at(e.int64(P.position) ?? 0, perSecond(rate));
      return [{ name: e.text(P.comment) ?? "", frame: Math.max(0, frame) }];
    });
  }

  private timecodeOf(slot: StoredObject, segment: StoredObject) {
    const [first] = classOf(segment) === "Sequence" ? segment.list(P.components) : [segment];
    if (!first || classOf(first) !== "Timecode") return null;
    const start = first.int64(P.timecodeStart) ?? 0;
    const fps = first.uint16(P.timecodeFps) ?? 25;
    const isDrop = first.uint8(P.timecodeDrop) === 1;
    const stated = slot.rational(P.editRate);
    // A track of sound may count the timecode in samples; the timecode's own number says how many pictures there are.
    const isPicture = stated !== null && Math.round(perSecond(stated)) === fps;
    const { numerator, denominator } = isPicture && stated ? stated : { numerator: fps, denominator: 1 };
    if (numerator <= 0 || denominator <= 0) return null;
    const startFrames = this.grid.at((start * denominator * this.grid.rate) / numerator, this.grid.rate);
    return { startFrames: Math.max(0, startFrames), frameRate: { numerator, denominator, isDrop } };
  }
}

interface Place {
  readonly at: number;
  readonly rate: Rate;
  readonly gainDb: number;
  readonly name: string;
  readonly depth: number;
  /** Channels that the operations around it work on. */
  readonly channels: number;
}

/** A file that a clip plays, and where in it the clip's source begins, in frames of the timeline. */
interface Resolved {
  readonly media: string;
  readonly offset: number;
  readonly channel: number | null;
  readonly name: string;
}

const hex = (id: Uint8Array): string => [...id].map((b) => b.toString(16).padStart(2, "0")).join("");
const isGain = (operation: Auid): boolean => operation === MONO_GAIN || operation === STEREO_GAIN;
const STEREO: ReadonlySet<Auid> = new Set([STEREO_GAIN, STEREO_DISSOLVE]);
const dbOf = (gain: number): number => (gain <= dbToGain(OFF_DB) ? OFF_DB : Math.round(gainToDb(gain) * 1e6) / 1e6);
const panOf = (value: number): number => Math.max(-1, Math.min(1, Math.round((2 * value - 1) * 1e6) / 1e6));

/** The one channel that a clip asks for, from 0. */
function channelIn(clip: StoredObject): number | null {
  const ids = clip.data(P.channels);
  if (!ids || ids.length !== 4) return null;
  const id = new DataView(ids.buffer, ids.byteOffset, 4).getUint32(0, true);
  return id >= 1 && id <= 64 ? id - 1 : null;
}

function tagIn(object: StoredObject, pid: number, name: string): string | null {
  for (const tag of object.list(pid)) if (tag.text(P.tagName) === name) return tag.indirectText(P.tagValue);
  return null;
}

/** Points in order; of two at one place the later one stays. */
function rising(points: readonly TimelinePoint[]): readonly TimelinePoint[] {
  const byFrame = new Map(points.map((p) => [p.frame, p]));
  return [...byFrame.values()].sort((a, b) => a.frame - b.frame);
}

/** A step of one frame behind a level stretch is what a value that holds is written as. */
function withHolds(points: readonly TimelinePoint[]): readonly TimelinePoint[] {
  const made: TimelinePoint[] = [];
  points.forEach((p, i) => {
    const last = made.at(-1);
    const next = points[i + 1];
    if (last?.value === p.value && next?.frame === p.frame + 1 && p.shape === "linear")
      made[made.length - 1] = { ...last, shape: "hold" };
    else made.push(p);
  });
  return made;
}
