import { execFileSync, spawnSync } from "node:child_process";
import { mkdtempSync, readFileSync, readdirSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { pathToFileURL } from "node:url";
import fc from "fast-check";
import { parseMidi } from "midi-file";
import { afterAll, beforeAll, expect, inject, test } from "vitest";
import { applyProfile, profiles } from "../../core/delivery/profiles";
import { coverage } from "../../core/delivery/coverage";
import type { Manifest } from "../../core/delivery/manifest";
import { parseManifest } from "../../core/delivery/manifest";
import type { Session, Sheet } from "../../core/session/document";
import { applyStep } from "../../core/session/edits";
import { tempoMap } from "../../core/time/tempo";
import { ThreadPool } from "../../worker/threads/threads";
import type { Delivered } from "../truth/deliveries";
import { Workshop, deliver, discard, randomOrders } from "../truth/deliveries";
import { share } from "../setup/share";

/**
 * Packages of random sessions, for every receiver and of every shape, as tools that are not ours find them. What is
 * promised of a package is asked of each; nothing here is read by the project's own readers but the manifest.
 */
let workshop: Workshop;
let folder: string;
beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), "stemzo-deliveries-"));
  workshop = new Workshop(new ThreadPool(pathToFileURL(join(inject("workerFolder"), "task.thread.mjs"))));
  await workshop.prepare();
});
afterAll(async () => {
  await workshop.close();
  rmSync(folder, { recursive: true, force: true });
});

const run = (command: string, ...args: readonly string[]): string =>
  execFileSync(command, args, { encoding: "utf8", maxBuffer: 1 << 28, stdio: ["ignore", "pipe", "pipe"] });

interface Probe {
  readonly streams: readonly { codec_name: string; sample_rate: string; channels: number; duration_ts: number }[];
  readonly format: { readonly tags?: Readonly<Record<string, string>> };
  readonly chapters: readonly { start_time: string; tags?: { title?: string } }[];
}
const probe = (path: string): Probe =>
  JSON.parse(
    run("ffprobe", "-v", "error", "-of", "json", "-show_format", "-show_streams", "-show_chapters", path),
  ) as Probe;
const tag = ({ format }: Probe, name: string): string | undefined =>
  Object.entries(format.tags ?? {}).find(([key]) => key.toLowerCase() === name)?.[1];

const CODECS: Record<Manifest["files"][number]["format"], Record<Manifest["depth"], string>> = {
  wav: { "16": "pcm_s16le", "24": "pcm_s24le", "32f": "pcm_f32le" },
  aiff: { "16": "pcm_s16be", "24": "pcm_s24be", "32f": "pcm_f32be" },
  flac: { "16": "flac", "24": "flac", "32f": "flac" },
  mp3: { "16": "mp3", "24": "mp3", "32f": "mp3" },
};

/** Frames of a file once it is decoded, by a tool that is made for its format. */
function framesOf(path: string, format: Manifest["files"][number]["format"]): number {
  if (format !== "mp3") return Number(run("soxi", "-s", path));
  const decoded = `${path}.wav`;
  run("mpg123", "-q", "-w", decoded, path);
  return Number(run("soxi", "-s", decoded));
}

/** Peak of what is left when the stems are added up and the whole is taken away, in ffmpeg. */
function sumOf(inner: string, files: Manifest["files"], whole: string): number {
  const inputs = [...files.map((f) => join(inner, f.name)), whole];
  const chains = files.map(({ fold, channels }, i) => {
    const [l, r] = fold === "left" ? ["c0", "0*c0"] : fold === "right" ? ["0*c0", "c0"] : ["c0", "c0"];
    const wide = channels === 1 ? `pan=stereo|c0=${l}|c1=${r}` : "anull";
    return `[${i}]aformat=sample_fmts=flt,${wide}[x${i}]`;
  });
  const labels = inputs.map((_, i) => `[x${i}]`).join("");
  const graph = [
    ...chains,
    `[${files.length}]aformat=sample_fmts=flt,volume=-1:precision=float[x${files.length}]`,
    `${labels}amix=inputs=${inputs.length}:normalize=0:duration=longest,astats=measure_perchannel=none`,
  ].join(";");
  const { stderr } = spawnSync(
    "ffmpeg",
    ["-hide_banner", ...inputs.flatMap((p) => ["-i", p]), "-filter_complex", graph, "-f", "null", "-"],
    { encoding: "utf8" },
  );
  const found = /Peak level dB: (-?[\d.]+|-inf)/.exec(stderr)?.[1];
  if (found === undefined) throw new Error(stderr.slice(-800));
  return found === "-inf" ? -Infinity : Number(found);
}

function unpacked({ made }: Delivered, n: number): string {
  const out = join(folder, String(n));
  run("unzip", "-q", made.zipPath, "-d", out);
  const [inner = ""] = readdirSync(out);
  expect(readdirSync(out).length).toBe(1);
  return join(out, inner);
}

const words = fc.string({ minLength: 1, maxLength: 12, unit: fc.constantFrom(..."abÄß é漢字._-/") });

/** The random order, for a receiver, with names, marks and words. */
const orders = fc
  .record({
    order: randomOrders,
    receiver: fc.option(fc.constantFrom(...profiles), { freq: 2 }),
    names: fc.array(words, { minLength: 12, maxLength: 12 }),
    marks: fc.uniqueArray(fc.nat(1800), { maxLength: 4 }),
    fileName: fc.constantFrom<Sheet["fileName"]>(
      [
        { kind: "number", text: "" },
        { kind: "stem", text: "" },
      ],
      [
        { kind: "stem", text: "" },
        { kind: "tempo", text: "" },
        { kind: "version", text: "" },
      ],
      [
        { kind: "text", text: "Ü/1" },
        { kind: "date", text: "" },
      ],
    ),
  })
  .map(({ order, receiver, names, marks, fileName }) => {
    const { session } = order;
    const dressed: Session = {
      ...session,
      name: names[0] ?? "x",
      markers: [...marks].sort((a, b) => a - b).map((tick, i) => ({ id: `m${i}`, tick, name: names[1 + i] ?? "" })),
      sheet: {
        ...session.sheet,
        fileName,
        notes: names[6] ?? "",
        rows: session.sheet.rows.map((r, i) => ({ ...r, name: names[7 + (i % 5)] ?? "x" })),
      },
    };
    const filled = receiver ? applyStep(dressed, applyProfile(dressed, receiver)) : null;
    return { threads: order.threads, session: filled?.ok ? filled.value.session : dressed };
  });

/** More of them, and larger, in `npm run truth`. */
const PACKAGES = share(30);

test(`${PACKAGES} packages are what they promise, as other tools read them`, async () => {
  const receivers = ["", ...profiles.map((p) => p.name)];
  const seen = { packages: 0, files: 0, formats: new Set<string>(), receivers: new Set<string>(), sums: 0, loud: 0 };
  for (const [n, { session: drawn, threads }] of fc.sample(orders, { numRuns: 30 * PACKAGES, seed: 1511 }).entries()) {
    if (seen.packages === PACKAGES) break;
    // One receiver after the other, whatever is drawn.
    if (drawn.sheet.receiver !== receivers[seen.packages % receivers.length]) continue;
    const session = workshop.real(drawn);
    const delivered = await deliver(workshop, session, threads);
    if (!delivered) continue;
    seen.packages++;
    seen.receivers.add(session.sheet.receiver);
    const inner = unpacked(delivered, n);
    const manifest = parseManifest(JSON.parse(readFileSync(join(inner, "manifest.json"), "utf8")));
    const checked = run("bash", "-c", `cd "$1" && sha256sum --strict -c SHA256SUMS`, "_", inner).trim().split("\n");
    expect(checked.filter((line) => !line.endsWith(": OK"))).toEqual([]);
    const there = readdirSync(inner, { recursive: true, withFileTypes: true }).filter((e) => e.isFile());
    expect(checked.length).toBe(there.length - 1);

    const lengths = manifest.files.map((file) => aboutFile(session, manifest, file, join(inner, file.name)));
    seen.files += lengths.length;
    for (const f of manifest.files) seen.formats.add(f.format);
    const whole = manifest.files.flatMap((f, i) => (f.rate === undefined ? [lengths[i]] : []));
    if (manifest.ends === "equal") expect(new Set(whole).size).toBeLessThanOrEqual(1);

    const stems = manifest.files.filter((f) => f.role === "stem");
    if (delivered.made.whole && stems.length > 0 && coverage(session).length === 0) {
      const clipped = delivered.made.facts.some((f) => (f.measures.clippedSamples ?? 0) > 0);
      const limit = { "32f": -120, "24": -110, "16": -66 }[manifest.depth];
      if (!clipped) {
        seen.sums++;
        expect(sumOf(inner, stems, delivered.made.whole.path)).toBeLessThanOrEqual(limit);
      }
    }
    seen.loud += loudness(inner, delivered);
    aboutPapers(session, manifest, inner);
    discard(delivered);
    rmSync(join(folder, String(n)), { recursive: true, force: true });
  }
  expect(seen.packages).toBe(PACKAGES);
  expect([...seen.formats].sort()).toEqual(["aiff", "flac", "mp3", "wav"]);
  expect([...seen.receivers].sort()).toEqual([...receivers].sort());
  expect([seen.sums > PACKAGES / 8, seen.files > 2 * PACKAGES]).toEqual([true, true]);
  // One in fifteen lasts as long as a meter of loudness needs: looked for where all are made.
  if (PACKAGES >= 30) expect(seen.loud).toBeGreaterThan(1);
}, 600_000);

/** One file: codec, rate, channels, length, title, stamp, marks. Answers with its length in frames. */
function aboutFile(session: Session, manifest: Manifest, file: Manifest["files"][number], path: string): number {
  const rate = file.rate ?? manifest.rate;
  const found = probe(path);
  const [stream] = found.streams;
  expect([stream?.codec_name, Number(stream?.sample_rate), stream?.channels]).toEqual([
    CODECS[file.format][manifest.depth],
    rate,
    file.channels,
  ]);
  const frames = framesOf(path, file.format);
  expect(frames).toBe(file.frames);
  if (file.format === "flac") run("flac", "-t", "-s", path);
  if (file.format === "wav") {
    const { media } = JSON.parse(run("mediainfo", "--Output=JSON", path)) as {
      media: { track: readonly Record<string, string>[] };
    };
    const audio = media.track.find((t) => t["@type"] === "Audio");
    expect([Number(audio?.["SamplingRate"]), Number(audio?.["Channels"])]).toEqual([rate, file.channels]);
    // It counts from a length in whole milliseconds, and tells none of a few frames.
    if (frames > rate / 100)
      expect(Math.abs(Number(audio?.["SamplingCount"]) - frames)).toBeLessThanOrEqual(rate / 1000);
  }
  if (file.format === "wav" || file.format === "aiff")
    expect(run("sndfile-info", path)).toContain(`Frames      : ${frames}`);
  const title = file.format === "wav" ? tag(found, "comment") : tag(found, "title");
  // A broadcast extension is ASCII; what it cannot say stands in iXML.
  if (file.format !== "wav") expect(title).toBe(file.title.normalize("NFC") === "" ? undefined : file.title);
  expect(tag(found, "time_reference") ?? "0").toBe(String(manifest.timeReference));
  if (file.format !== "aiff") {
    const time = tempoMap(session.tempo, session.rate);
    const zero = manifest.range.from / session.rate - manifest.silence.frames / manifest.rate;
    const wanted = session.markers
      .map((m) => ({ at: time.toFrames(m.tick), name: m.name }))
      .filter(({ at }) => at >= manifest.range.from && at < manifest.range.to)
      .map(({ at, name }) => ({ s: at / session.rate - zero, name }));
    expect(found.chapters.map((c) => c.tags?.title)).toEqual(wanted.map((w) => w.name));
    found.chapters.forEach((c, i) => {
      // WAV counts frames, the others milliseconds.
      expect(Math.abs(Number(c.start_time) - (wanted[i]?.s ?? NaN))).toBeLessThan(
        file.format === "wav" ? 2e-5 : 1.1e-3,
      );
    });
  }
  return frames;
}

/** The loudness that WAV files of some length carry, against ffmpeg's meter. Answers with how many were held to it. */
function loudness(inner: string, { made }: Delivered): number {
  const file = made.manifest.files.find((f) => f.format === "wav" && f.frames > 5 * made.manifest.rate);
  const facts = made.facts.find((f) => f.name === file?.name);
  if (!file || !facts || facts.measures.lufs === null || made.manifest.ends === "trimmed") return 0;
  const [info] = JSON.parse(run("exiftool", "-j", "-G1", join(inner, file.name))) as [Record<string, unknown>];
  expect(Object.keys(info).length).toBeGreaterThan(10);
  const { stderr } = spawnSync(
    "ffmpeg",
    ["-nostats", "-i", join(inner, file.name), "-af", "ebur128=peak=true", "-f", "null", "-"],
    { encoding: "utf8" },
  );
  const integrated = Number(/I:\s+(-?[\d.]+) LUFS/.exec(stderr.slice(stderr.lastIndexOf("Summary:")))?.[1]);
  expect(Math.abs(integrated - facts.measures.lufs)).toBeLessThanOrEqual(0.11);
  return 1;
}

function aboutPapers(session: Session, manifest: Manifest, inner: string): void {
  const named = (role: string) => join(inner, manifest.papers.find((p) => p.role === role)?.name ?? "");
  run("xmllint", "--noout", "--nonet", named("sheet"));
  expect(run("qpdf", "--check", named("printed sheet"))).toContain("No syntax or stream encoding errors");
  const text = run("pdftotext", "-layout", named("printed sheet"), "-");
  expect(text).toContain("Lining up");
  const rows = readFileSync(named("table"), "utf8").split("\r\n");
  expect(rows.length).toBe(manifest.files.length + 2);
  const midi = parseMidi(readFileSync(named("tempo map")));
  expect(midi.header.ticksPerBeat).toBe(960);
  const marks = midi.tracks.flat().filter((e) => e.type === "marker");
  expect(marks.length).toBe(manifest.markers.length);
  expect(manifest.session.name).toBe(session.name);
}
