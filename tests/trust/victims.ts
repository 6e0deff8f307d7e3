import { execFileSync } from "node:child_process";
import { mkdirSync, readFileSync, readdirSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import fc from "fast-check";
import { ZodError } from "zod";
import type { Manifest } from "../../core/delivery/manifest";
import { parseManifest } from "../../core/delivery/manifest";
import { MalformedFile } from "../../core/formats/bytes/bytes";
import { checksum } from "../../core/formats/ogg/pages";
import { readSession } from "../../core/session/read";
import { randomSessions } from "../../core/testing/random-session";
import { TaskFailed } from "../../worker/threads/thread-messages";
import type { ThreadPool } from "../../worker/threads/threads";
import type { Victim } from "../truth/mutations";

/** A reader that has not answered by then hangs. */
const LONGEST_MS = 5000;
const RATE = 48000;

/** How sounds are written for each reader of audio, as ffmpeg's arguments say it. */
const KINDS: readonly {
  readonly name: string;
  readonly ending: string;
  readonly as: readonly (readonly string[])[];
  /** Makes good what a damaged file would be refused for already: who means harm does. */
  readonly sealed?: (bytes: Uint8Array) => Uint8Array;
}[] = [
  {
    name: "WAV",
    ending: "wav",
    as: [
      ["-c:a", "pcm_s16le"],
      ["-c:a", "pcm_s24le"],
      ["-c:a", "pcm_f32le"],
      ["-c:a", "pcm_s16le", "-ar", "44100"],
    ],
  },
  {
    name: "AIFF",
    ending: "aiff",
    as: [
      ["-c:a", "pcm_s16be"],
      ["-c:a", "pcm_s24be"],
      ["-c:a", "pcm_f32be"],
    ],
  },
  {
    name: "FLAC",
    ending: "flac",
    as: [
      ["-sample_fmt", "s16"],
      ["-sample_fmt", "s32", "-ac", "1"],
    ],
  },
  {
    name: "MP3",
    ending: "mp3",
    as: [
      ["-b:a", "128k"],
      ["-q:a", "4", "-ac", "1"],
    ],
  },
  { name: "Ogg Vorbis", ending: "ogg", as: [["-c:a", "libvorbis", "-q:a", "4"]], sealed: withChecksums },
  { name: "Opus", ending: "opus", as: [["-c:a", "libopus", "-b:a", "96k"]], sealed: withChecksums },
];

/** An Ogg file whose pages say the checksums that they have, as far as pages can be told. */
function withChecksums(bytes: Uint8Array): Uint8Array {
  const made = Uint8Array.from(bytes);
  const view = new DataView(made.buffer);
  for (let at = 0; at + 27 < made.length;) {
    const table = made.subarray(at + 27, at + 27 + (made[at + 26] ?? 0));
    const page = made.subarray(at, at + 27 + table.length + table.reduce((sum, n) => sum + n, 0));
    view.setUint32(at + 22, checksum(page), true);
    at += page.length;
  }
  return made;
}

function sounds(folder: string, ending: string, as: readonly (readonly string[])[]): readonly Uint8Array[] {
  const made = join(folder, "sounds");
  mkdirSync(made, { recursive: true });
  return as.map((args, i) => {
    const path = join(made, `${i}.${ending}`);
    const source = `sine=frequency=${300 + 100 * i}:sample_rate=${RATE}:duration=0.2`;
    // The same bytes every time: a stream in Ogg is given a number at random otherwise.
    const exact = ["-fflags", "+bitexact", "-flags:a", "+bitexact"];
    execFileSync("ffmpeg", ["-v", "error", "-y", "-f", "lavfi", "-i", source, "-ac", "2", ...exact, ...args, path]);
    return readFileSync(path);
  });
}

/** Readers of sound, each in a thread that can be ended, as when a file is imported. */
export function audioVictims(folder: string, pool: ThreadPool): readonly Victim[] {
  let n = 0;
  return KINDS.map(({ name, ending, as, sealed = (bytes) => bytes }) => ({
    name,
    corpus: sounds(folder, ending, as),
    isText: false,
    atOnce: 2,
    async read(bytes: Uint8Array) {
      const own = `${n++}.`;
      const from = join(folder, own + ending);
      const to = `${from}.made`;
      writeFileSync(from, sealed(bytes));
      try {
        await pool.run<"import">(
          { kind: "import", from, to, name: "it", rate: RATE },
          { signal: AbortSignal.timeout(LONGEST_MS) },
        );
      } catch (error) {
        // As a job would end; anything else is a fault of ours.
        if (error instanceof TaskFailed && error.fault.kind === "malformed file")
          throw new MalformedFile(error.fault.message);
        throw error;
      } finally {
        for (const left of readdirSync(folder)) if (left.startsWith(own)) rmSync(join(folder, left));
      }
    },
  }));
}

const encoded = (value: unknown) => new TextEncoder().encode(JSON.stringify(value));

/** What is no JSON is refused by the route; the rest is for the reader. */
function jsonOf(bytes: Uint8Array): unknown {
  try {
    return JSON.parse(new TextDecoder().decode(bytes));
  } catch (error) {
    throw new MalformedFile(error instanceof Error ? error.message : "is no JSON");
  }
}

/** Readers of what stands in a package and of session documents. */
export function documentVictims(manifest: Manifest): readonly Victim[] {
  return [
    {
      name: "manifest",
      corpus: [encoded(manifest)],
      isText: true,
      read(bytes) {
        const json = jsonOf(bytes);
        try {
          parseManifest(json);
        } catch (error) {
          // It names the place, as the opener of packages tells it.
          throw error instanceof ZodError ? new MalformedFile(error.issues[0]?.message ?? "") : error;
        }
      },
    },
    {
      name: "session document",
      corpus: fc.sample(randomSessions(), { seed: 18, numRuns: 6 }).map(encoded),
      isText: true,
      read(bytes) {
        const read = readSession(jsonOf(bytes));
        if (!read.ok) throw new MalformedFile(read.problems[0]?.what ?? "");
      },
    },
  ];
}
