/* eslint-disable max-lines -- one search for the files that every kind of candidate needs */
import type { BundleIndex } from "../../contract/bundle";
import { BUNDLE_PARTS, bundleIndexSchema } from "../../contract/bundle";
import type { Candidate, CandidateKind } from "../../contract/intake";
import { candidateKinds } from "../../contract/intake";
import type { Manifest } from "../../core/delivery/manifest";
import { parseManifest } from "../../core/delivery/manifest";
import { MANIFEST_NAME } from "../../core/delivery/package-names";
import { readAaf } from "../../core/formats/aaf/read";
import { readAdl } from "../../core/formats/adl/read";
import type { ByteSource } from "../../core/formats/bytes/bytes";
import { MalformedFile, bytesAt } from "../../core/formats/bytes/bytes";
import { METADATA_XML, PROJECT_XML } from "../../core/formats/dawproject/facts";
import { readDawproject, titleIn } from "../../core/formats/dawproject/read";
import type { MidiFile } from "../../core/formats/midi/read";
import { readMidi } from "../../core/formats/midi/read";
import { readMidiTimeline } from "../../core/formats/midi/timeline";
import { OTIOZ_CONTENT } from "../../core/formats/otio/facts";
import { readOtio } from "../../core/formats/otio/read";
import type { KnownTempo, ProbedFile } from "../../core/interchange/from-files";
import { filesTimeline, tempoOfFiles } from "../../core/interchange/from-files";
import { sessionRateOf } from "../../core/interchange/from-timeline";
import type { MediumFacts } from "../../core/interchange/opening";
import { lossesOfOpening } from "../../core/interchange/opening";
import { soundTimeline } from "../../core/interchange/sound-timeline";
import type { MediaPair } from "../../core/interchange/pairs";
import { joinPairs, splitPairs } from "../../core/interchange/pairs";
import { sessionEnd } from "../../core/engine/render";
import { plainName } from "../../core/session/import";
import { readSession } from "../../core/session/read";
import type { Loss } from "../../core/timeline/loss";
import type { ReadTimeline } from "../../core/timeline/places";
import type { Timeline, TimelineMedia } from "../../core/timeline/timeline";
import type { Session } from "../../core/session/document";
import type { Arrived, Item } from "./items";
import { isAudio, kindOf } from "./items";
import type { Facts } from "./probe";
import { glance, hashOf, probe } from "./probe";

/** Most bytes of a text that tells a session. */
const MOST_TEXT = 64 << 20;

/** A session that what arrived can be opened as, with all that is needed to do it. */
export interface Opened {
  readonly id: string;
  readonly kind: CandidateKind;
  readonly path: string;
  readonly timeline: Timeline;
  readonly losses: readonly Loss[];
  readonly tempoFrom: string;
  readonly pairs: readonly MediaPair[];
  /** Where each of its media was found. */
  readonly media: ReadonlyMap<string, FoundMedium>;
  /** Of a bundle: what is in it. */
  readonly bundle: OpenedBundle | null;
}

export interface FoundMedium {
  /** Null: it is missing. */
  readonly source: ByteSource | null;
  readonly item: Item | null;
  readonly facts: Facts | null;
  readonly note: string;
}

export interface OpenedBundle {
  readonly index: BundleIndex;
  readonly session: Session;
}

/** Looks at what arrived: every way in which it can be opened, best first. */
export class CandidateReader {
  private readonly probed = new Map<Item, Promise<Facts | MalformedFile>>();
  private readonly hashes = new Map<Item, string>();
  private readonly byName = new Map<string, Item[]>();

  constructor(
    private readonly arrived: Arrived,
    private readonly throwIfCancelled: () => void,
    /**
     * Whether it is to be opened: then two tracks that are the sides of one are told as one, and what holds nothing is
     * not told of. Else everything is told as it stands in its file.
     */
    private readonly toOpen = true,
  ) {
    for (const item of arrived.items) {
      if (!isAudio(item.kind)) continue;
      const key = nameKey(item.path);
      const list = this.byName.get(key);
      if (list) list.push(item);
      else this.byName.set(key, [item]);
    }
  }

  /** `only`: no other than the one of this id. */
  async all(only: string | null = null): Promise<readonly Opened[]> {
    const made: Opened[] = [];
    const { items, left } = this.arrived;
    for (const item of items) {
      const kind = candidateOf(item);
      if (!kind || (only !== null && only !== idOf(kind, item.path))) continue;
      try {
        const opened = await this.open(kind, item);
        if (opened) made.push(opened);
      } catch (error) {
        if (!(error instanceof MalformedFile)) throw error;
        if (!left.some((l) => l.path === item.path)) left.push({ path: item.path, why: error.message });
      }
    }
    if (only === null || only === FILES_ID) {
      try {
        const files = await this.files(made);
        if (files) made.push(files);
      } catch (error) {
        if (!(error instanceof MalformedFile)) throw error;
        left.push({ path: "the files by themselves", why: error.message });
      }
    }
    return made.sort((a, b) => candidateKinds.indexOf(a.kind) - candidateKinds.indexOf(b.kind));
  }

  /** What people see of a candidate. */
  async summary(opened: Opened): Promise<Candidate> {
    const { id, kind, path, timeline, losses, tempoFrom, pairs, bundle } = opened;
    const sessionRate = bundle ? bundle.session.rate : sessionRateOf(timeline);
    const missing = new Set(
      [...opened.media].filter(([, m]) => m.source === null || m.facts === null).map(([media]) => media),
    );
    const [first] = timeline.tempo ?? [];
    const meter = timeline.meter?.[0];
    const all = this.mediaOf(opened);
    const firstOfHash = new Map<string, string>();
    const alike = this.alike(all.flatMap((m) => opened.media.get(m.id)?.item ?? []));
    return {
      id,
      kind,
      name: timeline.name,
      path,
      rate: timeline.rate,
      sessionRate,
      frames: bundle ? sessionEnd(bundle.session) : endOf(timeline),
      startFrames: timeline.startFrames,
      tempo: first ? { bpm: first.bpm, changes: (timeline.tempo?.length ?? 1) - 1, from: tempoFrom } : null,
      meter: meter ? `${meter.numerator}/${meter.denominator}` : null,
      markers: timeline.markers.length,
      tracks: timeline.tracks.map((t) => ({
        name: t.name,
        kind: t.kind,
        channels: t.channels,
        clips: t.clips.length,
        notes: t.notes.reduce((n, c) => n + c.notes.length, 0),
        missing: t.clips.filter((c) => missing.has(c.media)).length,
        spans: t.clips.slice(0, MOST_SPANS).map((c) => ({ from: c.start, to: c.start + c.frames })),
      })),
      media: all.map((m) => {
        const found = opened.media.get(m.id);
        const hash = found?.item && alike.has(found.item) ? this.hash(found.item) : null;
        const same = hash === null ? null : (firstOfHash.get(hash) ?? null);
        if (hash !== null && same === null) firstOfHash.set(hash, found?.item?.path ?? m.name);
        const facts = found?.facts ?? null;
        return {
          name: m.name,
          path: found?.item?.path ?? null,
          state: !found?.source ? "missing" : !facts ? "not audio" : found.item ? "found" : "inside",
          rate: facts?.rate ?? m.rate,
          channels: facts?.channels ?? Math.max(1, m.channels),
          frames: facts?.frames ?? m.frames,
          converted: facts !== null && facts.rate !== sessionRate,
          same,
          note: found?.note ?? "",
        };
      }),
      pairs: pairs.map((p) => ({ name: p.name, left: p.left.name, right: p.right.name })),
      losses: [...losses, ...(bundle ? [] : lossesOfOpening(timeline, (media) => factsOf(opened, media), sessionRate))],
    };
  }

  /** Those of some files that may be the same as another of them: as long, and alike in a few places. */
  private alike(items: readonly Item[]): ReadonlySet<Item> {
    const groups = new Map<string, Item[]>();
    for (const item of new Set(items)) {
      const key = glance(item.source);
      const group = groups.get(key);
      if (group) group.push(item);
      else groups.set(key, [item]);
    }
    return new Set([...groups.values()].filter((g) => g.length > 1).flat());
  }

  /** What came or was told of, the sides of pairs as the files that they are. */
  private mediaOf({ timeline, pairs }: Opened): readonly TimelineMedia[] {
    const joined = new Set(pairs.map((p) => p.id));
    const files = [...timeline.media.filter((m) => !joined.has(m.id)), ...pairs.flatMap((p) => [p.left, p.right])];
    return [...new Map(files.map((m) => [m.id, m])).values()];
  }

  private async open(kind: CandidateKind, item: Item): Promise<Opened | null> {
    this.throwIfCancelled();
    const name = sessionName(item.path);
    if (kind === "bundle") return this.bundle(item);
    if (kind === "package") return this.package(item);
    const read = await this.read(kind, item, name);
    // A map of tempo alone is no session; it tells the files beside it how fast they are.
    if (kind === "midi" && read.timeline.tracks.length === 0 && this.toOpen) return null;
    const sound = soundTimeline(read.timeline);
    const timeline = sound.name.trim() === "" ? { ...sound, name } : sound;
    return this.resolved(kind, item, timeline, read.losses, read.embedded, "the session file");
  }

  private async read(kind: CandidateKind, item: Item, name: string): Promise<ReadTimeline<ByteSource>> {
    switch (kind) {
      case "aaf":
        return readAaf(item.source);
      case "adl":
        return readAdl(textOf(item.source));
      case "otio":
        return readOtio(item.entries.length > 0 ? await partOf(item, OTIOZ_CONTENT) : textOf(item.source));
      case "midi":
        return readMidiTimeline(bytesAt(item.source, 0, item.source.size), name);
      default: {
        const states = new Map<string, string>();
        for (const entry of item.entries)
          if (entry.name.endsWith(".json") && entry.bytes < 1 << 20)
            states.set(entry.name, new TextDecoder().decode(await entry.read(1 << 20)));
        const title = item.entries.some((e) => e.name === METADATA_XML)
          ? titleIn(await partOf(item, METADATA_XML))
          : null;
        return readDawproject(await partOf(item, PROJECT_XML), title ?? name, (path) => states.get(path) ?? null);
      }
    }
  }

  /** Finds the media of a timeline among what arrived. */
  private async resolved(
    kind: CandidateKind,
    item: Item,
    timeline: Timeline,
    losses: readonly Loss[],
    embedded: ReadonlyMap<string, ByteSource>,
    tempoFrom: string,
  ): Promise<Opened> {
    const media = new Map<string, FoundMedium>();
    const folder =
      item.entries.length > 0 ? item.path.replace(/\.zip$/i, "") : item.path.replace(/[^/]*$/, "").replace(/\/$/, "");
    for (const m of timeline.media) {
      this.throwIfCancelled();
      const inside = embedded.get(m.id);
      if (inside) media.set(m.id, await this.inside(inside));
      else media.set(m.id, await this.found(m, folder));
    }
    const whole = withFacts(timeline, media);
    const joined = this.toOpen ? joinedWhereThere(whole, media) : { timeline: whole, pairs: [] };
    return {
      id: idOf(kind, item.path),
      kind,
      path: item.path,
      timeline: joined.timeline,
      losses,
      tempoFrom,
      pairs: joined.pairs,
      media,
      bundle: null,
    };
  }

  private async inside(source: ByteSource): Promise<FoundMedium> {
    try {
      const kind = kindOf(source);
      if (!isAudio(kind)) throw new MalformedFile("what is inside of the session file is no sound that is read here");
      return { source, item: null, facts: await probe(source, kind, this.throwIfCancelled), note: "" };
    } catch (error) {
      if (!(error instanceof MalformedFile)) throw error;
      return { source, item: null, facts: null, note: error.message };
    }
  }

  private async found(m: TimelineMedia, folder: string): Promise<FoundMedium> {
    const wanted = m.path ?? m.name;
    const item = this.match(wanted, folder, m.sha256);
    if (!item) return { source: null, item: null, facts: null, note: wanted };
    const facts = await this.factsOf(item);
    if (facts instanceof MalformedFile) return { source: item.source, item, facts: null, note: facts.message };
    const isShort = m.frames > 0 && m.rate === facts.rate && facts.frames < m.frames;
    return {
      source: item.source,
      item,
      facts,
      note: isShort ? `${m.frames - facts.frames} frames shorter than it should be` : "",
    };
  }

  /** The file that is meant: where it should lie, or of its name with as much of its path as fits, or of its hash. */
  private match(wanted: string, folder: string, sha256: string | null): Item | null {
    const path = wanted
      .normalize("NFC")
      .replace(/^[A-Za-z]:/, "")
      .replace(/^\/+/, "");
    const exact = `${folder === "" ? "" : `${folder}/`}${path}`.toLowerCase();
    const named = this.byName.get(nameKey(path)) ?? [];
    const parts = path.toLowerCase().split("/").reverse();
    const closeness = (item: Item) => {
      if (item.path.normalize("NFC").toLowerCase() === exact) return Infinity;
      const other = item.path.normalize("NFC").toLowerCase().split("/").reverse();
      let same = 0;
      while (same < parts.length && parts[same] === other[same]) same++;
      return same;
    };
    const [best] = [...named].sort((a, b) => closeness(b) - closeness(a));
    if (best) return best;
    if (sha256 === null) return null;
    return this.arrived.items.find((i) => isAudio(i.kind) && this.hash(i) === sha256) ?? null;
  }

  private factsOf(item: Item): Promise<Facts | MalformedFile> {
    const known = this.probed.get(item);
    if (known) return known;
    const { kind } = item;
    const made = isAudio(kind)
      ? probe(item.source, kind, this.throwIfCancelled).catch((error: unknown) => {
          if (error instanceof MalformedFile) return error;
          throw error;
        })
      : Promise.resolve(new MalformedFile("This is no sound that is read here"));
    this.probed.set(item, made);
    return made;
  }

  private hash(item: Item): string {
    const known = this.hashes.get(item);
    if (known !== undefined) return known;
    const made = hashOf(item.source, this.throwIfCancelled);
    this.hashes.set(item, made);
    return made;
  }

  private async bundle(item: Item): Promise<Opened> {
    const part = async (name: string) => {
      try {
        return JSON.parse(await partOf(item, name)) as unknown;
      } catch (error) {
        if (error instanceof SyntaxError) throw new MalformedFile(`${name} is not JSON`);
        throw error;
      }
    };
    const index = bundleIndexSchema.safeParse(await part(BUNDLE_PARTS.index));
    if (!index.success)
      throw new MalformedFile(
        `${BUNDLE_PARTS.index} is not what a bundle has: ${index.error.issues[0]?.message ?? ""}`,
      );
    for (const entry of index.data.entries)
      if (!item.entries.some((e) => e.name === entry.name && e.bytes === entry.bytes))
        throw new MalformedFile(`"${entry.name}" is not there as the bundle lists it`);
    const session = readSession(await part(BUNDLE_PARTS.session));
    if (!session.ok)
      throw new MalformedFile(
        `The session in the bundle is broken: ${session.problems[0]?.where ?? ""} ${session.problems[0]?.what ?? ""}`,
      );
    return {
      id: idOf("bundle", item.path),
      kind: "bundle",
      path: item.path,
      timeline: pictureOf(session.value),
      losses: [],
      tempoFrom: "the session file",
      pairs: [],
      media: new Map(),
      bundle: { index: index.data, session: session.value },
    };
  }

  /** Stems of a package of ours: laid out by its manifest. */
  private async package(item: Item): Promise<Opened | null> {
    const entry = item.entries.find((e) => e.name.endsWith(`/${MANIFEST_NAME}`));
    if (!entry) return null;
    let manifest: Manifest;
    try {
      manifest = parseManifest(JSON.parse(new TextDecoder().decode(await entry.read(MOST_TEXT))));
    } catch (error) {
      if (error instanceof MalformedFile) throw error;
      throw new MalformedFile(
        `The package's manifest cannot be read: ${error instanceof Error ? (error.message.split("\n")[0] ?? "") : ""}`,
      );
    }
    if (manifest.files.length === 0) return null;
    const folder = `${item.path.replace(/\.zip$/i, "")}/${entry.name.slice(0, -MANIFEST_NAME.length - 1)}`;
    const files: ProbedFile[] = [];
    for (const file of manifest.files) {
      const found = this.match(file.name, folder, null);
      const facts = found ? await this.factsOf(found) : null;
      if (found && facts && !(facts instanceof MalformedFile))
        files.push({ ...facts, path: found.path, title: file.title, sha256: null, bpm: null });
      else files.push(missingFile(file, manifest));
    }
    const known: KnownTempo = { tempo: manifest.tempo, meter: manifest.meter, from: "the package's manifest" };
    const made = filesTimeline(manifest.session.name, files, [], known);
    const timeline = soundTimeline({ ...made, leadIn: manifest.leadIn });
    const media = new Map<string, FoundMedium>();
    for (const m of timeline.media) media.set(m.id, await this.found(m, ""));
    return {
      id: idOf("package", item.path),
      kind: "package",
      path: item.path,
      timeline,
      losses: [],
      tempoFrom: known.from,
      pairs: [],
      media,
      bundle: null,
    };
  }

  /** The files by themselves, those left aside that belong to a session file or a package. */
  private async files(others: readonly Opened[]): Promise<Opened | null> {
    const owned = new Set(others.flatMap((o) => [...o.media.values()].flatMap((m) => m.item ?? [])));
    const free = this.arrived.items.filter((i) => isAudio(i.kind) && !owned.has(i) && !this.isInBundle(i, others));
    const files: ProbedFile[] = [];
    const items = new Map<string, Item>();
    for (const item of free) {
      const facts = await this.factsOf(item);
      if (facts instanceof MalformedFile) {
        this.arrived.left.push({ path: item.path, why: facts.message });
        continue;
      }
      items.set(item.path, item);
      files.push({ ...facts, path: item.path, sha256: null });
    }
    if (files.length === 0) return null;
    const midi = this.arrived.items.flatMap((i) => {
      if (i.kind !== "midi") return [];
      const file = midiOf(i.source);
      return file ? [{ path: i.path, file }] : [];
    });
    const timed = midi.find(({ file }) => file.tempo !== null)?.file;
    const known: KnownTempo | null = timed?.tempo
      ? { tempo: timed.tempo, meter: timed.meter, from: "a MIDI file" }
      : tempoOfFiles(files);
    const made = filesTimeline(folderName(files), files, midi, known);
    const media = new Map<string, FoundMedium>();
    for (const m of made.media) {
      const item = items.get(m.id) ?? null;
      const facts = item ? await this.factsOf(item) : null;
      media.set(m.id, {
        source: item?.source ?? null,
        item,
        facts: facts instanceof MalformedFile ? null : facts,
        note: "",
      });
    }
    const joined = joinedWhereThere(soundTimeline(made), media);
    return {
      id: FILES_ID,
      kind: "files",
      path: "",
      timeline: joined.timeline,
      losses: [],
      tempoFrom: known?.from ?? "",
      pairs: joined.pairs,
      media,
      bundle: null,
    };
  }

  private isInBundle(item: Item, others: readonly Opened[]): boolean {
    return others.some((o) => o.kind === "bundle" && item.path.startsWith(`${o.path.replace(/\.zip$/i, "")}/`));
  }
}

/** What a session file is called without folders and ending. */
const sessionName = (path: string): string =>
  plainName(path.replace(/\.(stemzo\.zip|dawproject|otioz)$/i, "")) || "Session";

/** Joins pairs of which both sides have come; a side that is missing is supplied later, under its own name. */
function joinedWhereThere(timeline: Timeline, media: ReadonlyMap<string, FoundMedium>): ReturnType<typeof joinPairs> {
  const { timeline: joined, pairs } = joinPairs(timeline);
  const isThere = ({ id }: TimelineMedia) => {
    const found = media.get(id);
    return found ? found.source !== null && found.facts !== null : false;
  };
  const [whole, lacking] = [true, false].map((is) => pairs.filter((p) => (isThere(p.left) && isThere(p.right)) === is));
  return { timeline: splitPairs(joined, lacking ?? []), pairs: whole ?? [] };
}

const FILES_ID = "files";
const MOST_SPANS = 400;
const idOf = (kind: CandidateKind, path: string): string => `${kind}:${path}`;
const nameKey = (path: string): string => path.normalize("NFC").toLowerCase().replace(/^.*\//, "");

/** What a file of a kind can be opened as. */
function candidateOf({ kind }: Item): CandidateKind | null {
  switch (kind) {
    case "aaf":
    case "adl":
    case "otio":
    case "dawproject":
    case "midi":
    case "bundle":
    case "package":
      return kind;
    case "otioz":
      return "otio";
    default:
      return null;
  }
}

function textOf(source: ByteSource): string {
  if (source.size > MOST_TEXT) throw new MalformedFile(`A text of more than ${MOST_TEXT >> 20} MB is not read`);
  const bytes = bytesAt(source, 0, source.size);
  const [a, b] = bytes;
  const encoding = a === 0xff && b === 0xfe ? "utf-16le" : a === 0xfe && b === 0xff ? "utf-16be" : "utf-8";
  return new TextDecoder(encoding).decode(bytes);
}

async function partOf(item: Item, name: string): Promise<string> {
  const entry = item.entries.find((e) => e.name === name);
  if (!entry) throw new MalformedFile(`"${name}" is not in it`);
  return new TextDecoder().decode(await entry.read(MOST_TEXT));
}

function midiOf(source: ByteSource): MidiFile | null {
  try {
    return readMidi(bytesAt(source, 0, source.size));
  } catch (error) {
    if (error instanceof MalformedFile) return null;
    throw error;
  }
}

const missingFile = (file: Manifest["files"][number], manifest: Manifest): ProbedFile => ({
  path: file.name,
  title: file.title,
  rate: file.rate ?? manifest.rate,
  channels: file.channels,
  frames: file.frames,
  timeReference: manifest.timeReference,
  sha256: file.sha256,
  bpm: null,
});

/** A timeline whose media are as they were found: how many channels they have decides what can be a pair. */
const withFacts = (timeline: Timeline, found: ReadonlyMap<string, FoundMedium>): Timeline => ({
  ...timeline,
  media: timeline.media.map((m) => {
    const facts = found.get(m.id)?.facts;
    return facts ? { ...m, channels: facts.channels, frames: facts.frames, rate: facts.rate } : m;
  }),
});

const endOf = (timeline: Timeline): number =>
  timeline.tracks.reduce((end, t) => t.clips.reduce((e, c) => Math.max(e, c.start + c.frames), end), 0);

/** What is known of a medium; of two sides that become one file, once both are there. */
function factsOf({ media, pairs }: Pick<Opened, "media" | "pairs">, id: string): MediumFacts {
  const pair = pairs.find((p) => p.id === id);
  if (!pair) return media.get(id)?.facts ?? null;
  const [left, right] = [media.get(pair.left.id)?.facts, media.get(pair.right.id)?.facts];
  return left && right ? { ...left, channels: 2, frames: Math.max(left.frames, right.frames) } : null;
}

/** The folder that all files are in, or what their names begin with. */
function folderName(files: readonly ProbedFile[]): string {
  const folders = new Set(files.map((f) => f.path.split("/").slice(0, -1).join("/")));
  const [folder] = folders;
  const last = folders.size === 1 ? folder?.split("/").at(-1) : folder?.split("/")[0];
  if (last) return last;
  const [first] = files;
  return files.length === 1 && first ? plainName(first.path) : "New session";
}

/** A session as a timeline that is only looked at. */
function pictureOf(session: Session): Timeline {
  return {
    name: session.name,
    rate: session.rate,
    startFrames: 0,
    frameRate: null,
    tempo: session.tempo,
    meter: session.meter,
    leadIn: session.leadIn,
    markers: session.markers.map((m) => ({ name: m.name, frame: 0 })),
    media: [],
    tracks: session.tracks.map((t) => ({
      id: t.id,
      name: t.name,
      kind: t.kind === "instrument" ? "notes" : t.kind,
      channels: 2,
      output: null,
      faderDb: 0,
      pan: 0,
      mute: t.mute,
      clips: t.clips.flatMap((c) =>
        c.kind === "notes"
          ? []
          : [
              {
                name: c.name,
                media: "",
                channel: null,
                start: c.start,
                frames: c.frames,
                offset: 0,
                gainDb: 0,
                fadeIn: { frames: 0, shape: "linear" as const },
                fadeOut: { frames: 0, shape: "linear" as const },
                crossfade: false,
              },
            ],
      ),
      notes: [],
      sends: [],
      lanes: [],
      devices: [],
    })),
  };
}
