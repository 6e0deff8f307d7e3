/* eslint-disable max-lines -- one walk over one file format, with the state that all of its clauses share */
import { dbToGain } from "../../math";
import type {
  Timeline,
  TimelineClip,
  TimelineLane,
  TimelineMedia,
  TimelinePoint,
  TimelineTrack,
} from "../../timeline/timeline";
import { FRAME_RATES } from "../../timeline/timeline";
import type { Frames } from "../../units";
import type { ByteSource, SkippingSink } from "../bytes/bytes";
import { MINI_CUTOFF } from "../compound/facts";
import type { Reserved } from "../compound/write";
import { CompoundWriter } from "../compound/write";
import { fileUrl, urlOfPath } from "../paths/url";
import type { Auid } from "./auid";
import { auidBytes, namedAuid, namedMobId } from "./auid";
import {
  AAF_CONTAINER,
  AMPLITUDE,
  CONSTANT,
  DESCRIPTIVE,
  EDIT_PROTOCOL,
  EXTERNAL_CONTAINER,
  LEVEL,
  LINEAR,
  MONO_DISSOLVE,
  MONO_GAIN,
  MONO_PAN,
  PAN,
  SOUND,
  STEREO_DISSOLVE,
  STEREO_GAIN,
  TIMECODE,
  TOP_LEVEL,
  dictionary,
  metaDictionary,
} from "./dictionary";
import { COMMENT, FILE_KIND, SMALL_SECTORS_UP_TO } from "./facts";
import type { AafObject, MadeWhenWritten } from "./objects";
import { ObjectWriter, ROOT_ID } from "./objects";
import {
  auid,
  bool,
  closestRational,
  indirect,
  int16,
  int64,
  list,
  named,
  object,
  one,
  rational,
  text,
  timeStamp,
  uint16,
  uint32,
  uint8,
} from "./values";

/** A file of sound beside or inside: a WAV. */
export interface AafMedia {
  readonly file: ByteSource;
  /** Its bytes up to the first sample: what says what it is. */
  readonly head: Uint8Array;
}

export interface AafOptions {
  /** Inside the file, or where the media's paths say. */
  readonly media: "embedded" | "beside";
  /** Absolute path of the folder in which the file will lie, for a second locator of each file beside it; or empty. */
  readonly folder?: string;
  /** By id of the media. */
  readonly files: ReadonlyMap<string, AafMedia>;
  /** What tells this file from others: the same makes the same bytes. */
  readonly name: string;
  readonly date: Date;
  /** Media inside are left out: other threads put them where `aafPlaces` says. */
  readonly leavesMedia?: boolean;
  /** Told how many bytes of media are written; throws to stop. */
  readonly onBytes?: (bytes: number) => void;
}

const PIECE = 1 << 20;
const LINEAR_AMPLITUDE = 1;

/**
 * Writes a timeline as AAF: one composition, a sound track a track, clips with their fades and gains, transitions where
 * they crossfade, gain and pan of tracks around their sequences, markers, the timecode it begins with, and of every
 * file a master and a source. Media stream through; memory grows with the number of clips. AAF Object Specification
 * 1.1; AAF Edit Protocol 1.1.
 */
export function writeAaf(timeline: Timeline, sink: SkippingSink, options: AafOptions): void {
  const inside =
    options.media === "beside"
      ? []
      : timeline.media.flatMap(({ id }) => {
          const source = options.files.get(id)?.file;
          return source ? [{ id, source }] : [];
        });
  const sizes = inside.map((m) => m.source.size);
  const sectorBytes = sectorBytesFor(sizes);
  const file = new CompoundWriter(sink, sectorBytes, auidBytes(FILE_KIND[sectorBytes]), auidBytes(ROOT_ID));
  // In front of all else, where others can tell where they are without having written it.
  const places = new Map(sizes.map((n, i) => [inside[i]?.id ?? "", isPlaced(n) ? file.reserve(n) : null]));
  const header = new HeaderMaker(timeline, options, places).header();
  new ObjectWriter(file).write({ MetaDictionary: metaDictionary, Header: header });
  file.finish();
  if (options.leavesMedia) return;
  let done = 0;
  for (const { id, source } of inside) {
    const place = places.get(id);
    if (place)
      inPieces(source, (part, at) => {
        sink.patch(place.at + at, part);
        done += part.length;
        options.onBytes?.(done);
      });
  }
}

const sectorBytesFor = (sizes: readonly number[]): 512 | 4096 =>
  sizes.reduce((n, size) => n + size, 0) <= SMALL_SECTORS_UP_TO ? 512 : 4096;

const isPlaced = (bytes: number): boolean => bytes >= MINI_CUTOFF;

/**
 * Where media of so many bytes each stand inside an AAF file, by its first byte: right behind its header, in their
 * order. Null for one so short that it stands among the objects.
 */
export function aafPlaces(sizes: readonly number[]): readonly (number | null)[] {
  const sectorBytes = sectorBytesFor(sizes);
  let at: number = sectorBytes;
  return sizes.map((bytes) => {
    if (!isPlaced(bytes)) return null;
    const place = at;
    at += Math.ceil(bytes / sectorBytes) * sectorBytes;
    return place;
  });
}

function inPieces(source: ByteSource, take: (part: Uint8Array, at: number) => void): void {
  const piece = new Uint8Array(Math.min(PIECE, source.size));
  for (let at = 0; at < source.size; at += PIECE) {
    const part = piece.subarray(0, Math.min(PIECE, source.size - at));
    source.read(at, part);
    take(part, at);
  }
}

/** The container of files of sound: RIFF with WAVE in it. AAF Object Specification 1.1, container definitions. */
const RIFF_WAVE: Auid = "2311bd90-b5da-4285-aa3a-8552848779b3";
/** 1.0.0.0, released: four numbers of 16 bits and one of 8. AAF Object Specification 1.1, ProductVersion. */
const PRODUCT_VERSION = Uint8Array.of(1, 0, 0, 0, 0, 0, 0, 0, 1);
const NO_MOB = new Uint8Array(32);

class HeaderMaker {
  private readonly end: Frames;
  private readonly byId: ReadonlyMap<string, TimelineMedia>;

  constructor(
    private readonly timeline: Timeline,
    private readonly options: AafOptions,
    private readonly places: ReadonlyMap<string, Reserved | null>,
  ) {
    this.byId = new Map(timeline.media.map((m) => [m.id, m]));
    this.end = timeline.tracks.reduce((end, { clips, lanes }) => {
      const last = clips.reduce((e, c) => Math.max(e, c.start + c.frames), end);
      return lanes.reduce((e, l) => Math.max(e, l.points.at(-1)?.frame ?? 0), last);
    }, 1);
  }

  header(): AafObject {
    const { date, name, files } = this.options;
    const stamp = timeStamp(date);
    const essence = this.timeline.media.flatMap((m): AafObject[] => {
      const file = files.get(m.id)?.file;
      const place = this.places.get(m.id);
      if (!file || place === undefined) return [];
      return [
        object("EssenceData", {
          MobID: this.mobId("source", m),
          Data: place ? { reserved: place } : { stream: { bytes: file.size, write: (to) => inPieces(file, to) } },
        }),
      ];
    });
    return object("Header", {
      ByteOrder: int16(0x4949),
      LastModified: stamp,
      Version: Uint8Array.of(1, 1),
      ObjectModelVersion: uint32(1),
      OperationalPattern: auid(EDIT_PROTOCOL),
      EssenceContainers: auid(RIFF_WAVE),
      DescriptiveSchemes: new Uint8Array(0),
      Content: one(
        object("ContentStorage", {
          Mobs: list([
            this.composition(),
            ...this.timeline.media.flatMap((m) => [this.masterMob(m), this.sourceMob(m)]),
          ]),
          ...(essence.length > 0 ? { EssenceData: list(essence) } : {}),
        }),
      ),
      Dictionary: one(dictionary),
      IdentificationList: list([
        object("Identification", {
          CompanyName: text("Stemzo"),
          ProductName: text("Stemzo"),
          ProductVersion: PRODUCT_VERSION,
          ProductVersionString: text("1"),
          ToolkitVersion: PRODUCT_VERSION,
          Platform: text("Linux"),
          ProductID: auid(namedAuid("Stemzo")),
          Date: stamp,
          GenerationAUID: auid(namedAuid(`generation ${name}`)),
        }),
      ]),
    });
  }

  private mobId(kind: string, m: TimelineMedia | null): Uint8Array {
    return namedMobId(`${this.options.name} ${kind} ${m ? (m.sha256 ?? m.id) + m.id : ""}`);
  }

  private mob(of: string, id: Uint8Array, name: string, slots: readonly AafObject[], more: AafObject["values"] = {}) {
    const stamp = timeStamp(this.options.date);
    return object(of, {
      MobID: id,
      Name: text(name),
      Slots: list(slots),
      LastModified: stamp,
      CreationTime: stamp,
      ...more,
    });
  }

  private composition(): AafObject {
    const { timeline } = this;
    const { name, tracks, markers } = timeline;
    const slots = [this.timecode(), ...tracks.map((t, i) => this.track(t, i + 1))];
    if (markers.length > 0) slots.push(this.markers());
    return this.mob("CompositionMob", this.mobId("composition", null), name, slots, { UsageCode: auid(TOP_LEVEL) });
  }

  private slot(
    id: number,
    name: string,
    rate: Uint8Array,
    segment: AafObject,
    more: AafObject["values"] = {},
  ): AafObject {
    return object("TimelineMobSlot", {
      SlotID: uint32(id),
      SlotName: text(name),
      Segment: one(segment),
      EditRate: rate,
      Origin: int64(0),
      ...more,
    });
  }

  private get rate(): Uint8Array {
    return rational(this.timeline.rate, 1);
  }

  private timecode(): AafObject {
    const { startFrames, rate } = this.timeline;
    const frameRate = this.timeline.frameRate ?? FRAME_RATES["25"];
    const { numerator, denominator, isDrop } = frameRate;
    const pictures = (frames: Frames) => (frames * numerator) / (denominator * rate);
    const segment = object("Timecode", {
      DataDefinition: named(TIMECODE),
      Length: int64(Math.max(1, Math.ceil(pictures(this.end)))),
      Start: int64(Math.round(pictures(startFrames))),
      FPS: uint16(Math.round(numerator / denominator)),
      Drop: bool(isDrop),
    });
    return this.slot(1, "Timecode", rational(numerator, denominator), segment, { PhysicalTrackNumber: uint32(1) });
  }

  private track(track: TimelineTrack, number: number): AafObject {
    const isStereo = track.channels === 2;
    let segment = this.sequence(track);
    const around = (operation: Auid, parameter: AafObject) => {
      segment = object("OperationGroup", {
        DataDefinition: named(SOUND),
        Length: int64(this.end),
        Operation: named(operation),
        InputSegments: list([segment]),
        Parameters: list([parameter]),
      });
    };
    const gain = isStereo ? STEREO_GAIN : MONO_GAIN;
    const fader = track.lanes.find((l) => l.target === "fader");
    const pan = track.lanes.find((l) => l.target === "pan");
    // The specification has a pan for one channel alone; `fit` leaves out those of stereo tracks.
    if (isStereo && (pan || track.pan !== 0)) throw new RangeError(`the pan of a stereo track has no place in an AAF`);
    if (pan)
      around(
        MONO_PAN,
        this.varying(PAN, pan, (v) => (v + 1) / 2),
      );
    else if (track.pan !== 0) around(MONO_PAN, constant(PAN, (track.pan + 1) / 2));
    if (fader) around(gain, this.varying(AMPLITUDE, fader, gainOf));
    else if (track.faderDb !== 0) around(gain, constant(AMPLITUDE, gainOf(track.faderDb)));
    return this.slot(number + 1, track.name, this.rate, segment, { PhysicalTrackNumber: uint32(number) });
  }

  private sequence(track: TimelineTrack): AafObject {
    const components: MadeWhenWritten[] = [];
    const filler = (frames: Frames) => {
      if (frames > 0) components.push(() => object("Filler", { DataDefinition: named(SOUND), Length: int64(frames) }));
    };
    let at = 0;
    for (const [i, clip] of track.clips.entries()) {
      const before = track.clips[i - 1];
      if (clip.crossfade && before) components.push(() => transition(before.start + before.frames - clip.start, track));
      else filler(clip.start - at);
      components.push(() => this.clip(clip, track.clips[i + 1], track));
      at = clip.start + clip.frames;
    }
    filler(this.end - at);
    const { panInLevels } = track;
    return object("Sequence", {
      DataDefinition: named(SOUND),
      Length: int64(this.end),
      ...(panInLevels === undefined ? {} : { UserComments: list([comment(COMMENT.pan, String(panInLevels))]) }),
      Components: list(components),
    });
  }

  private clip(clip: TimelineClip, after: TimelineClip | undefined, track: TimelineTrack): AafObject {
    const media = this.media(clip.media);
    const fadeIn = clip.crossfade ? 0 : clip.fadeIn.frames;
    const fadeOut = after?.crossfade ? 0 : clip.fadeOut.frames;
    const source = object("SourceClip", {
      DataDefinition: named(SOUND),
      Length: int64(clip.frames),
      ...(clip.name === media.name ? {} : { UserComments: list([comment(COMMENT.clip, clip.name)]) }),
      SourceID: this.mobId("master", media),
      SourceMobSlotID: uint32(1),
      StartTime: int64(clip.offset),
      ...(fadeIn > 0 ? { FadeInLength: int64(fadeIn), FadeInType: uint8(LINEAR_AMPLITUDE) } : {}),
      ...(fadeOut > 0 ? { FadeOutLength: int64(fadeOut), FadeOutType: uint8(LINEAR_AMPLITUDE) } : {}),
    });
    if (clip.gainDb === 0) return source;
    return object("OperationGroup", {
      DataDefinition: named(SOUND),
      Length: int64(clip.frames),
      Operation: named(track.channels === 2 ? STEREO_GAIN : MONO_GAIN),
      InputSegments: list([source]),
      Parameters: list([constant(AMPLITUDE, gainOf(clip.gainDb))]),
    });
  }

  private media(id: string): TimelineMedia {
    const media = this.byId.get(id);
    if (!media) throw new RangeError(`there is no file ${id}`);
    return media;
  }

  /** Points over the whole length of a track, as parts of it. */
  private varying(parameter: Auid, lane: TimelineLane, valueOf: (v: number) => number): AafObject {
    const holds = lane.points.every((p) => p.shape === "hold");
    const points = holds ? lane.points : withSteps(lane.points);
    return object("VaryingValue", {
      Definition: auid(parameter),
      Interpolation: named(holds ? CONSTANT : LINEAR),
      PointList: list(
        points.map(
          (p): MadeWhenWritten =>
            () =>
              object("ControlPoint", {
                Value: indirect("Rational", closestRational(valueOf(p.value))),
                Time: part(p.frame, this.end),
              }),
        ),
      ),
    });
  }

  private markers(): AafObject {
    const { markers, tracks } = this.timeline;
    const events = markers.map((m) =>
      object("CommentMarker", {
        DataDefinition: named(DESCRIPTIVE),
        Length: int64(1),
        Position: int64(m.frame),
        Comment: text(m.name),
      }),
    );
    return object("EventMobSlot", {
      SlotID: uint32(tracks.length + 2),
      SlotName: text("Markers"),
      EditRate: this.rate,
      EventSlotOrigin: int64(0),
      Segment: one(object("Sequence", { DataDefinition: named(DESCRIPTIVE), Components: list(events) })),
    });
  }

  private masterMob(m: TimelineMedia): AafObject {
    const clip = sourceClip(this.mobId("source", m), m.frames);
    return this.mob("MasterMob", this.mobId("master", m), m.name, [this.slot(1, m.name, rational(m.rate, 1), clip)], {
      ...(m.sha256 === null ? {} : { UserComments: list([comment(COMMENT.sha256, m.sha256)]) }),
    });
  }

  private sourceMob(m: TimelineMedia): AafObject {
    const { media, files, folder = "" } = this.options;
    const path = m.path ?? m.name;
    const urls = [urlOfPath(path), ...(folder === "" ? [] : [fileUrl(folder, path)])];
    const head = files.get(m.id)?.head;
    const descriptor = object("WAVEDescriptor", {
      SampleRate: rational(m.rate, 1),
      Length: int64(m.frames),
      ContainerFormat: named(media === "embedded" ? AAF_CONTAINER : EXTERNAL_CONTAINER),
      Summary: head ?? new Uint8Array(0),
      ...(media === "beside"
        ? { Locator: list(urls.map((url) => object("NetworkLocator", { URLString: text(url) }))) }
        : {}),
    });
    const slot = this.slot(1, m.name, rational(m.rate, 1), sourceClip(NO_MOB, m.frames));
    return this.mob("SourceMob", this.mobId("source", m), m.name, [slot], { EssenceDescription: one(descriptor) });
  }
}

const gainOf = (db: number): number => (db <= -144 ? 0 : dbToGain(db));

const constant = (parameter: Auid, value: number): AafObject =>
  object("ConstantValue", { Definition: auid(parameter), Value: indirect("Rational", closestRational(value)) });

const comment = (name: string, value: string): AafObject =>
  object("TaggedValue", { Name: text(name), Value: indirect("String", text(value)) });

const sourceClip = (mob: Uint8Array, frames: Frames): AafObject =>
  object("SourceClip", {
    DataDefinition: named(SOUND),
    Length: int64(frames),
    SourceID: mob,
    SourceMobSlotID: uint32(mob === NO_MOB ? 0 : 1),
    StartTime: int64(0),
  });

/** Two clips that overlap: the one goes in a straight line as the other comes. */
function transition(frames: Frames, track: TimelineTrack): AafObject {
  const dissolve = object("OperationGroup", {
    DataDefinition: named(SOUND),
    Length: int64(frames),
    Operation: named(track.channels === 2 ? STEREO_DISSOLVE : MONO_DISSOLVE),
    Parameters: list([
      object("VaryingValue", {
        Definition: auid(LEVEL),
        Interpolation: named(LINEAR),
        PointList: list(
          [0, 1].map((at) =>
            object("ControlPoint", { Value: indirect("Rational", rational(at, 1)), Time: rational(at, 1) }),
          ),
        ),
      }),
    ]),
  });
  return object("Transition", {
    DataDefinition: named(SOUND),
    Length: int64(frames),
    OperationGroup: one(dissolve),
    CutPoint: int64(Math.floor(frames / 2)),
  });
}

/** A value that holds until the next one, as a straight line with a step of one frame. */
function withSteps(points: readonly TimelinePoint[]): readonly TimelinePoint[] {
  return points.flatMap((p, i) => {
    const next = points[i + 1];
    return p.shape === "hold" && next && next.frame > p.frame + 1 && next.value !== p.value
      ? [p, { ...p, frame: next.frame - 1 }]
      : [p];
  });
}

/** A place as a part of a length; both shortened where they are longer than a number of 32 bits. */
function part(frame: Frames, end: Frames): Uint8Array {
  let [n, d] = [frame, end];
  while (d > 0x7fffffff) [n, d] = [Math.floor(n / 2), Math.floor(d / 2)];
  return rational(n, d);
}
