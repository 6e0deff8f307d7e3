import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import fc from "fast-check";
import { MalformedFile, MemorySink, MemorySource } from "../../core/formats/bytes/bytes";
import { aafCarries } from "../../core/formats/aaf/facts";
import { readAaf } from "../../core/formats/aaf/read";
import { writeAaf } from "../../core/formats/aaf/write";
import { adlCarries } from "../../core/formats/adl/facts";
import { readAdl } from "../../core/formats/adl/read";
import { writeAdl } from "../../core/formats/adl/write";
import { dawprojectCarries } from "../../core/formats/dawproject/facts";
import { readDawproject } from "../../core/formats/dawproject/read";
import { writeDawproject } from "../../core/formats/dawproject/write";
import { midiCarries, readMidiTimeline, writeMidiTimeline } from "../../core/formats/midi/timeline";
import { otioCarries } from "../../core/formats/otio/facts";
import { readOtio } from "../../core/formats/otio/read";
import { writeOtio } from "../../core/formats/otio/write";
import type { FoundMedia } from "../../core/interchange/from-timeline";
import { fromTimeline, mediaKey, sessionRateOf } from "../../core/interchange/from-timeline";
import { soundTimeline } from "../../core/interchange/sound-timeline";
import { joinPairs } from "../../core/interchange/pairs";
import type { Session } from "../../core/session/document";
import { readSession } from "../../core/session/read";
import { hashOf, noise } from "../../core/testing/listen";
import { randomSessions } from "../../core/testing/random-session";
import { randomTimelines } from "../../core/testing/random-timeline";
import { wavOf } from "../../core/testing/wav-of";
import type { Carries } from "../../core/timeline/carries";
import { fit } from "../../core/timeline/fit";
import type { Timeline } from "../../core/timeline/timeline";
import { AudioStore } from "../../server/audio/store";
import { ZipWriter } from "../../server/packages/zip";
import { lookAt } from "../../worker/candidates/look";
import { writeBundle } from "../../worker/session-files/bundle";
import { writeFloats } from "./deliveries";

/**
 * Session files that were damaged at random, for every reader of them. Whatever is in a file: it is read, or refused as
 * malformed; nothing else is thrown, and what was read becomes a session that is sound.
 */
export interface Victim {
  readonly name: string;
  /** Sound files of its kind, to be damaged. */
  readonly corpus: readonly Uint8Array[];
  readonly isText: boolean;
  /** So many are read at the same time, where that is done in threads; one otherwise. */
  readonly atOnce?: number;
  read(bytes: Uint8Array): Promise<void> | void;
}

const drawn = (carries: Carries, count: number, longest = 4000): readonly Timeline[] =>
  fc.sample(randomTimelines({ longest }), { seed: 16, numRuns: count }).map((t) => fit(t, carries).timeline);
const encoded = (text: string) => new TextEncoder().encode(text);
const decoded = (bytes: Uint8Array) => new TextDecoder().decode(bytes);

/** What was read has to become a session that the server takes. */
function becomesSession(read: Timeline): void {
  const { timeline } = joinPairs(soundTimeline(read));
  const rate = sessionRateOf(timeline);
  const found = new Map<string, FoundMedia>();
  for (const { media, channel, offset, frames } of timeline.tracks.flatMap((t) => t.clips)) {
    const key = mediaKey(media, channel);
    // As the stand-in for missing media: as long as it is played.
    const reach = Math.max(1, Math.ceil(((offset + frames) * rate) / timeline.rate));
    const id = "0".repeat(60) + String(found.size).padStart(4, "0");
    const known = found.get(key)?.asset;
    const asset = { id: known?.id ?? id, name: "x", rate, channels: 1, origin: "missing" } as const;
    found.set(key, { asset: { ...asset, frames: Math.max(known?.frames ?? 0, reach) }, isMissing: true });
  }
  let n = 0;
  const { session } = fromTimeline(timeline, found, { newId: () => `id-${n++}`, rate });
  const checked = readSession(JSON.parse(JSON.stringify(session)));
  if (!checked.ok)
    throw new Error(`no sound session: ${checked.problems[0]?.where ?? ""} ${checked.problems[0]?.what ?? ""}`);
}

function aafs(): readonly Uint8Array[] {
  return drawn(aafCarries, 6, 400).map((timeline, i) => {
    const sink = new MemorySink();
    const files = new Map(timeline.media.map((m) => [m.id, wavOf(m)]));
    const media = i % 2 === 0 ? "embedded" : "beside";
    writeAaf(timeline, sink, { media, files, name: `${i}`, date: new Date(0) });
    return sink.bytes();
  });
}

/** Every reader of session files; `folder` is for those that read from the disk. */
export async function victims(folder: string): Promise<readonly Victim[]> {
  const zips = await bundles(folder);
  let n = 0;
  const throughZip = async (bytes: Uint8Array) => {
    const path = join(folder, `${n++}.zip`);
    writeFileSync(path, bytes);
    const arrival = await lookAt(
      { kind: "look", files: [{ stored: path, path: "it.zip" }], dataRoot: folder },
      () => true,
    );
    rmSync(path);
    if (arrival.candidates.length === 0) throw new MalformedFile(arrival.left[0]?.why ?? "nothing in it");
  };
  return [
    {
      name: "AAF",
      corpus: aafs(),
      isText: false,
      read: (bytes) => becomesSession(readAaf(new MemorySource(bytes)).timeline),
    },
    {
      name: "OpenTimelineIO",
      corpus: drawn(otioCarries, 8).map((t) => encoded(writeOtio(t))),
      isText: true,
      read: (bytes) => becomesSession(readOtio(decoded(bytes)).timeline),
    },
    {
      name: "AES31",
      corpus: drawn(adlCarries, 8).map((t) => encoded(writeAdl(t, "UID"))),
      isText: true,
      read: (bytes) => becomesSession(readAdl(decoded(bytes)).timeline),
    },
    {
      name: "DAWproject",
      corpus: drawn(dawprojectCarries, 8).map((t) => writeDawproject(t)[0]?.bytes ?? new Uint8Array(1)),
      isText: true,
      read: (bytes) => becomesSession(readDawproject(decoded(bytes), "it", () => null).timeline),
    },
    {
      name: "MIDI",
      corpus: drawn(midiCarries, 8).map(writeMidiTimeline),
      isText: false,
      read: (bytes) => becomesSession(readMidiTimeline(bytes, "it").timeline),
    },
    { name: "bundle", corpus: zips.bundles, isText: false, read: throughZip },
    { name: "DAWproject in its ZIP", corpus: zips.projects, isText: false, read: throughZip },
  ];
}

/** A session of the generator's with files of the store in place of its stand-ins. */
const stored = (session: Session, hashes: readonly string[]): Session =>
  JSON.parse(
    hashes.reduce((text, hash, i) => text.replaceAll(hashOf(i + 1), hash), JSON.stringify(session)),
  ) as Session;

async function bundles(folder: string) {
  const made = mkdtempSync(join(tmpdir(), "stemzo-corpus-"));
  const store = new AudioStore(folder);
  await store.prepare(true);
  const signal = new AbortController().signal;
  const bundles: Uint8Array[] = [];
  const hashes: string[] = [];
  for (const n of [1, 2, 3]) {
    const wav = store.unfinished();
    writeFloats(wav, noise(50, n), 48000);
    hashes.push(await store.adopt(wav));
  }
  const sessions = fc.sample(randomSessions(), { seed: 16, numRuns: 4 });
  for (const [i, session] of sessions.entries()) {
    const path = join(made, `${i}.zip`);
    const beside = { prints: [], recipes: [], handoffs: [] };
    await writeBundle(
      { session: stored(session, hashes), revision: 0, date: new Date(0), beside },
      { store, path, signal, report: () => undefined },
    );
    bundles.push(readFileSync(path));
  }
  const projects: Uint8Array[] = [];
  for (const [i, timeline] of drawn(dawprojectCarries, 4).entries()) {
    const path = join(made, `p${i}.zip`);
    const zip = await ZipWriter.create(path, new Date(0));
    for (const { name, bytes } of writeDawproject(timeline)) await zip.addBytes(name, bytes);
    await zip.finish();
    projects.push(readFileSync(path));
  }
  rmSync(made, { recursive: true });
  return { bundles, projects };
}

/** Values that readers stumble over. */
const NUMBERS = [
  "-1",
  "0",
  "1e308",
  "-1e308",
  "1e-320",
  "9007199254740993",
  "4294967296",
  "NaN",
  "Infinity",
  "",
  "0.5",
];
const BYTES = [0, 1, 0x7f, 0x80, 0xfe, 0xff];

/** Whole numbers from 0 below what is asked for, the same for the same seed. xorshift32 (Marsaglia 2003). */
export function randomOf(seed: number): (below: number) => number {
  let state = (seed * 2654435761 + 97) >>> 0;
  const random = (below: number): number => {
    state ^= state << 13;
    state >>>= 0;
    state ^= state >>> 17;
    state ^= state << 5;
    state >>>= 0;
    return below <= 0 ? 0 : state % below;
  };
  for (let i = 0; i < 4; i++) random(2);
  return random;
}

/** Damages bytes in one to four ways; the same for the same seed. */
export function damaged(victim: Victim, seed: number): Uint8Array {
  const random = randomOf(seed);
  let bytes: Uint8Array = Uint8Array.from(victim.corpus[random(victim.corpus.length)] as Uint8Array);
  for (let n = 1 + random(4); n > 0; n--) {
    const at = random(bytes.length);
    const length = 1 + random(Math.min(64, bytes.length - at));
    const kind = random(victim.isText ? 24 : 7);
    if (kind === 0) bytes[at] = (bytes[at] ?? 0) ^ (1 << random(8));
    else if (kind === 1) bytes[at] = BYTES[random(BYTES.length)] as number;
    else if (kind === 2) bytes = bytes.slice(0, at);
    else if (kind === 3) bytes = concat(bytes.subarray(0, at), bytes.subarray(at + length));
    else if (kind === 4) bytes = concat(bytes.subarray(0, at), bytes.subarray(at, at + length), bytes.subarray(at));
    else if (kind === 5) bytes.fill(BYTES[random(BYTES.length)] as number, at, at + Math.min(length, 8));
    else if (kind === 6) {
      const from = random(bytes.length);
      bytes.set(bytes.slice(from, from + Math.min(length, bytes.length - at)), at);
    } else bytes = otherNumber(bytes, at, random);
    if (bytes.length === 0) return bytes;
  }
  return bytes;
}

/** A text in which the next number, or text in quotes, says something else. */
function otherNumber(bytes: Uint8Array, at: number, random: (below: number) => number): Uint8Array {
  const text = new TextDecoder("latin1").decode(bytes);
  const found = /-?\d[\d.e+-]*|"[^"]*"/.exec(text.slice(at));
  if (!found) return bytes;
  const from = at + found.index;
  const put = NUMBERS[random(NUMBERS.length)] as string;
  const made = `${text.slice(0, from)}${found[0].startsWith('"') ? `"${put}"` : put}${text.slice(from + found[0].length)}`;
  return Uint8Array.from(made, (c) => c.charCodeAt(0));
}

function concat(...parts: readonly Uint8Array[]): Uint8Array {
  const made = new Uint8Array(parts.reduce((n, p) => n + p.length, 0));
  let at = 0;
  for (const p of parts) {
    made.set(p, at);
    at += p.length;
  }
  return made;
}

export interface Endured {
  readonly read: number;
  readonly refused: number;
  readonly slowestMs: number;
  /** Growth of the process's memory at most. */
  readonly mostBytes: number;
  /** What was thrown that is no refusal: by seed. */
  readonly faults: readonly { readonly seed: number; readonly what: string }[];
}

/** Reads `count` damaged files, the first damaged by `seed`. */
export async function endure(victim: Victim, count: number, seed = 1): Promise<Endured> {
  let [read, refused, slowestMs, mostBytes, next] = [0, 0, 0, 0, seed];
  const faults: { seed: number; what: string }[] = [];
  const before = process.memoryUsage().rss;
  const oneAfterTheOther = async (): Promise<void> => {
    for (let i = next++; i < seed + count; i = next++) {
      const bytes = damaged(victim, i);
      const began = performance.now();
      try {
        await victim.read(bytes);
        read++;
      } catch (error) {
        if (error instanceof MalformedFile) refused++;
        else faults.push({ seed: i, what: error instanceof Error ? (error.stack ?? error.message) : String(error) });
      }
      slowestMs = Math.max(slowestMs, performance.now() - began);
      if (i % 64 === 0) mostBytes = Math.max(mostBytes, process.memoryUsage().rss - before);
    }
  };
  await Promise.all(Array.from({ length: victim.atOnce ?? 1 }, oneAfterTheOther));
  return { read, refused, slowestMs, mostBytes, faults };
}
