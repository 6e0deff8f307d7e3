import { copyFileSync, mkdirSync, mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { basename, dirname, join } from "node:path";
import { pathToFileURL } from "node:url";
import { parseArgs } from "node:util";
import { build } from "esbuild";
import { WavWriter } from "../core/formats/wav/write";
import { makeAudioClip, makeDevice, makeSession, makeTrack } from "../core/session/build";
import type { Asset, Session } from "../core/session/document";
import { noise } from "../core/testing/listen";
import { FileSink } from "../server/audio/file-bytes";
import { AudioStore } from "../server/audio/store";
import { ThreadPool } from "../worker/threads/threads";
import { CHECKOUT, buildWorker } from "./build";
import { measureInBrowser } from "./speed-browser";
import { measureDeliveries } from "./speed-delivery";
import { measureSessionFiles } from "./speed-session-files";
import { measureEdits } from "./speed-edit";
import { measureVoices } from "./speed-voices";
import type { Took } from "./measure-command";
import { measureCommand } from "./measure-command";
import type { SpeedWork } from "./speed-work";
import { PRINTS } from "./speed-work";
import type { Row } from "./speed-row";
import { printRow } from "./speed-row";
import type { Material } from "./speed-rivals";
import { inSilence } from "./speed-of-silence";
import { ffmpegMix, ffmpegStems, settings, soxMix, soxStems } from "./speed-rivals";
import { BUNDLE, compareDemo } from "./speed-demo";
import { measureFix } from "./speed-fix";
import { measureFixOfPasses } from "./speed-fix-passes";

const RATE = 48000;
const TRACKS = 48;

async function main(): Promise<void> {
  const { values } = parseArgs({
    options: {
      seconds: { type: "string", default: "240" },
      json: { type: "string" },
      browser: { type: "boolean", default: false },
      printing: { type: "boolean", default: false },
      silence: { type: "boolean", default: false },
      edit: { type: "boolean", default: false },
      fix: { type: "boolean", default: false },
      delivery: { type: "boolean", default: false },
      "session-files": { type: "boolean", default: false },
      voices: { type: "boolean", default: false },
    },
  });
  const seconds = Number(values.seconds);
  if (!(seconds >= 1 && seconds <= 7200)) throw new Error("--seconds is a number from 1 to 7200");
  const runs = seconds < 60 ? 1 : 3;
  const write = (rows: readonly Row[]) => {
    if (values.json !== undefined) writeFileSync(values.json, JSON.stringify(rows, null, 2));
  };
  if (values.delivery) return write(await deliveries());
  if (values["session-files"]) return write(await sessionFiles());
  if (values.browser) return write(await inBrowser());
  if (values.edit) return write(await edits());
  if (values.voices) return write(await measureVoices());
  if (values.silence) return write(inSilence());
  const folder = mkdtempSync(join(tmpdir(), "stemzo-speed-"));
  try {
    console.log(
      `${TRACKS} stereo tracks of ${seconds} s at 48 kHz, 24-bit; two EQ bands, gain and pan each; median of ${runs} ${runs === 1 ? "run" : "runs"}`,
    );
    await bundle();
    const material = await makeMaterial(folder, seconds);
    if (values.fix) return write([...(await measureFix(folder)), ...(await measureFixOfPasses(folder, material))]);
    if (values.printing) return write([...(await comparePrints(folder, material)), ...(await compareDemo(folder))]);
    const rows: Row[] = [
      ...(await compare("mix48", folder, material, runs)),
      ...(await compare("stems48", folder, material, runs)),
    ];
    // Ours against ourselves: what a second thread brings, and that an hour needs no more memory than a minute.
    if (seconds >= 60)
      rows.push(
        ...(await compareThreads(folder, material)),
        ...(await comparePrints(folder, material)),
        ...(await compareDemo(folder)),
        ...(await measureFix(folder)),
        ...(await measureFixOfPasses(folder, material)),
        ...(await compareLengths(folder, material)),
        ...inSilence(),
        ...(await measureVoices()),
        ...(await edits()),
        ...(await deliveries()),
        ...(await sessionFiles()),
        ...(await inBrowser()),
      );
    write(rows);
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

const bundle = () =>
  build({
    absWorkingDir: CHECKOUT,
    entryPoints: ["scripts/speed-process.ts", "worker/threads/task.thread.ts"],
    outdir: BUNDLE,
    entryNames: "[name]",
    outExtension: { ".js": ".mjs" },
    bundle: true,
    splitting: true,
    platform: "node",
    target: "node20",
    format: "esm",
    packages: "external",
    logLevel: "warning",
  });

async function makeMaterial(folder: string, seconds: number): Promise<Material> {
  const store = new AudioStore(folder);
  await store.prepare(true);
  const frames = seconds * RATE;
  // One recording, copied: the same bytes in files of their own. Named by number, not by hash: nothing of this is kept.
  const paths = Array.from({ length: TRACKS }, (_, i) => store.path(i.toString(16).padStart(64, "0")));
  const [first = ""] = paths;
  mkdirSync(dirname(first), { recursive: true });
  // So quiet that the sum of all does not clip.
  const loop = noise(10 * RATE, 5, 0.04);
  const sink = new FileSink(first);
  const writer = new WavWriter(sink, {
    format: { rate: RATE, channels: 2, depth: "24" },
    bext: null,
    ditherSeed: null,
  });
  for (let done = 0; done < frames; done += loop.left.length)
    writer.write(loop.left, loop.right, 0, Math.min(loop.left.length, frames - done));
  writer.finish();
  sink.close();
  for (const path of paths.slice(1)) copyFileSync(first, path);
  const assets = paths.map((path, i): Asset => ({
    id: basename(path, ".wav"),
    name: `track ${i}`,
    frames,
    rate: RATE,
    channels: 2,
    origin: "generated",
  }));
  const tracks = assets.map((asset, i) => {
    const s = settings(i);
    return makeTrack({
      id: `t${i}`,
      name: `Track ${i}`,
      kind: "audio",
      faderDb: s.gainDb,
      pan: s.pan,
      clips: [makeAudioClip({ id: `c${i}`, asset: asset.id, start: 0, frames })],
      devices: [
        makeDevice(`e${i}`, "eq", {
          bell1Hz: s.hz1,
          bell1Db: s.db1,
          bell1Q: s.q,
          bell2Hz: s.hz2,
          bell2Db: s.db2,
          bell2Q: s.q,
        }),
      ],
    });
  });
  const session = makeSession({
    name: "Speed",
    assets,
    tracks: [...tracks, makeTrack({ id: "mix", name: "Mix", kind: "mix" })],
  });
  return { session, frames, files: assets.map((a) => store.path(a.id)) };
}

const oursCommand = (spec: string) => `node ${join(CHECKOUT, BUNDLE, "speed-process.mjs")} ${spec}`;

async function runOurs(folder: string, name: string, work: Omit<SpeedWork, "dataRoot" | "out">): Promise<Took> {
  const spec = join(folder, `${name}.json`);
  const out = join(folder, name);
  writeFileSync(spec, JSON.stringify({ ...work, dataRoot: folder, out } satisfies SpeedWork));
  const took = await measureCommand(oursCommand(spec), folder);
  rmSync(out, { recursive: true, force: true });
  return took;
}

/** What a package of the demo costs after one fader move, and in other formats than WAV. */
async function deliveries(): Promise<readonly Row[]> {
  const folder = mkdtempSync(join(tmpdir(), "stemzo-speed-"));
  await new AudioStore(folder).prepare(true);
  await buildWorker(BUNDLE);
  const pool = new ThreadPool(pathToFileURL(join(CHECKOUT, BUNDLE, "task.thread.mjs")));
  try {
    console.log("\npackages of the demo on two threads, from the plan to the ZIP; seconds, medians of three turns");
    return (await measureDeliveries(folder, pool)).map(({ work, what, ours, theirs, target }) => {
      console.log(`\n${work}: ${what}; at most ${target} times`);
      const against = work === "changed" ? "all of it" : "WAV";
      return printRow({ work, measure: "wall", ours, against, theirs, ratio: ours / theirs });
    });
  } finally {
    await pool.close();
    rmSync(folder, { recursive: true, force: true });
  }
}

/** What a small edit costs on a big session, beside the same on a small one; and what it writes. */
async function edits(): Promise<readonly Row[]> {
  console.log("\nedit: a small edit through HTTP, on 200 tracks and 10,000 clips; median of 50");
  const { bigMs, smallMs, stepBytes, openMs } = await measureEdits();
  const row = (measure: Row["measure"], ours: number, against: Row["against"], theirs: number): Row =>
    printRow({ work: "edit", measure, ours, against, theirs, ratio: ours / theirs });
  return [
    row("edit_ms", bigMs, "eight tracks", smallMs),
    row("step_bytes", stepBytes, "target", 4000),
    row("open_ms", openMs, "target", OPEN_TARGET_MS),
  ];
}

async function sessionFiles(): Promise<readonly Row[]> {
  console.log(
    "\nsession files: 200 tracks, 10,000 clips, 2 GB of audio, through HTTP; against cp and sync of the media",
  );
  const rows: Row[] = [];
  for (const f of await measureSessionFiles()) {
    const row = (measure: Row["measure"], ours: number, against: Row["against"], theirs: number) =>
      rows.push(printRow({ work: `session file ${f.kind}`, measure, ours, against, theirs, ratio: ours / theirs }));
    row("write_s", f.writeS, "cp", f.copyS);
    row("export_s", f.exportS, "cp", f.copyS);
    row("proof_s", f.proofS, "cp", f.copyS);
    row("open_s", f.lookS + f.openS, "target", OPEN_SESSION_FILE_S);
    row("stolen_percent", f.stolenPercent, "target", 5);
    row("idle_mb", f.idleBytes / 1e6, "target", MOST_MB);
    row("export_mb", f.exportBytes / 1e6, "target", MOST_MB);
    row("open_mb", f.openBytes / 1e6, "target", MOST_MB);
  }
  return rows;
}
const OPEN_SESSION_FILE_S = 20;
const MOST_MB = 300;

/** What opening the big session took when every edit still wrote all of it. */
const OPEN_TARGET_MS = 200;

async function compareThreads(folder: string, { session, frames }: Material): Promise<readonly Row[]> {
  const rows: Row[] = [];
  for (const work of ["mix48", "stems48"] as const) {
    const what = work === "mix48" ? "mix" : "stems";
    const two = await runOurs(folder, `${work}-two`, { session, frames, what, threads: 2 });
    const one = await runOurs(folder, `${work}-one`, { session, frames, what, threads: 1 });
    console.log(`\n${work}, two threads`);
    rows.push(
      printRow({
        work,
        measure: "wall",
        ours: two.wall,
        against: "one thread",
        theirs: one.wall,
        ratio: two.wall / one.wall,
      }),
    );
  }
  return rows;
}

/** Forty tracks printed in one go against the split of forty-eight, track for track. */
async function comparePrints(folder: string, { session, frames }: Material): Promise<readonly Row[]> {
  const prints = await runOurs(folder, "prints40", { session, frames, what: "prints" });
  const stems = await runOurs(folder, "prints40-stems", { session, frames, what: "stems" });
  const [ours, theirs] = [(1000 * prints.wall) / PRINTS, (1000 * stems.wall) / TRACKS];
  console.log(`\nprints40: ${prints.wall.toFixed(2)} s wall; milliseconds a track`);
  return [printRow({ work: "prints40", measure: "wall", ours, against: "stems48", theirs, ratio: ours / theirs })];
}

/** What hands, ears and eyes wait for in Chromium, against what they may. */
async function inBrowser(): Promise<readonly Row[]> {
  console.log("\nin Chromium");
  return (await measureInBrowser()).map(({ measure, what, value, target }) => {
    const row: Row = {
      work: "browser",
      measure,
      ours: value,
      against: "target",
      theirs: target,
      ratio: value / target,
    };
    console.log(
      `  ${measure.padEnd(17)} ${value.toFixed(2).padStart(9)} : ${target.toFixed(2).padStart(9)}  = ${row.ratio.toFixed(2)}x  ${what}`,
    );
    return row;
  });
}

/** A mix of four tracks and a reverb, an hour and a minute of it: cut from the same recordings again and again. */
async function compareLengths(folder: string, { session, frames }: Material): Promise<readonly Row[]> {
  const loop = Math.min(frames, 10 * RATE);
  const of = (seconds: number): Session =>
    makeSession({
      name: "Hour",
      assets: session.assets.slice(0, 4),
      tracks: [
        ...session.assets.slice(0, 4).map((asset, i) =>
          makeTrack({
            id: `t${i}`,
            name: `Track ${i}`,
            kind: "audio",
            faderDb: -18,
            clips: Array.from({ length: Math.ceil((seconds * RATE) / loop) }, (_, n) =>
              makeAudioClip({ id: `c${n}`, asset: asset.id, start: n * loop, frames: loop }),
            ),
            devices: [makeDevice(`e${i}`, "eq", { bell1Db: 3 }), makeDevice(`r${i}`, "reverb", { wet: 20 })],
          }),
        ),
        makeTrack({ id: "mix", name: "Mix", kind: "mix", devices: [makeDevice("l", "limiter")] }),
      ],
    });
  const run = (seconds: number) =>
    runOurs(folder, `length-${seconds}`, { session: of(seconds), frames: seconds * RATE, what: "mix" });
  const [minute, hour] = [await run(60), await run(3600)];
  console.log(`\nhour: ${hour.wall.toFixed(1)} s wall, ${(3600 / hour.wall).toFixed(0)}x real time`);
  return [
    printRow({
      work: "hour",
      measure: "peak_mb",
      ours: hour.peakMb,
      against: "minute",
      theirs: minute.peakMb,
      ratio: hour.peakMb / minute.peakMb,
    }),
  ];
}

async function compare(
  work: "mix48" | "stems48",
  folder: string,
  material: Material,
  runs: number,
): Promise<readonly Row[]> {
  const what = work === "mix48" ? "mix" : "stems";
  const spec = join(folder, `${work}.json`);
  const out = join(folder, work);
  writeFileSync(
    spec,
    JSON.stringify({
      session: material.session,
      dataRoot: folder,
      out,
      frames: material.frames,
      what,
    } satisfies SpeedWork),
  );
  const commands: Record<"ours" | "sox" | "ffmpeg" | "read" | "copy", string | null> = {
    ours: oursCommand(spec),
    sox: what === "mix" ? soxMix(material, join(folder, "sox")) : soxStems(material, join(folder, "sox")),
    ffmpeg:
      what === "mix" ? ffmpegMix(material, join(folder, "ffmpeg")) : ffmpegStems(material, join(folder, "ffmpeg")),
    read: what === "mix" ? `cat ${material.files.join(" ")} > /dev/null` : null,
    copy:
      what === "stems"
        ? `mkdir -p ${folder}/copy && cp ${material.files.join(" ")} ${folder}/copy/ && sync ${folder}/copy`
        : null,
  };
  // Turn by turn, so that a machine that is slow for a while is slow for everybody.
  const all = new Map<string, Took[]>();
  for (let run = 0; run < runs; run++) {
    for (const [name, command] of Object.entries(commands)) {
      if (command === null) continue;
      all.set(name, [...(all.get(name) ?? []), await measureCommand(command, folder)]);
      for (const made of [out, join(folder, "sox"), join(folder, "ffmpeg"), join(folder, "copy")])
        rmSync(made, { recursive: true, force: true });
    }
  }
  const took = new Map(
    [...all].map(([name, turns]) => {
      const median = (pick: (t: Took) => number) => turns.map(pick).sort((a, b) => a - b)[turns.length >> 1] ?? 0;
      return [
        name,
        { wall: median((t) => t.wall), cpu: median((t) => t.cpu), peakMb: median((t) => t.peakMb) },
      ] as const;
    }),
  );
  const ours = took.get("ours");
  if (!ours) return [];
  const realTime = (TRACKS * material.frames) / RATE / ours.wall;
  console.log(
    `\n${work}: ours ${ours.wall.toFixed(2)} s wall, ${ours.cpu.toFixed(2)} s processor, ${ours.peakMb.toFixed(0)} MB; ${realTime.toFixed(0)}x real time over all tracks`,
  );
  const rows = (["sox", "ffmpeg", "read", "copy"] as const).flatMap((against): Row[] => {
    const theirs = took.get(against);
    if (!theirs) return [];
    const row = (measure: Row["measure"], a: number, b: number): Row =>
      printRow({ work, measure, ours: a, against, theirs: b, ratio: a / b });
    return [
      row("wall", ours.wall, theirs.wall),
      row("cpu", ours.cpu, theirs.cpu),
      row("peak_mb", ours.peakMb, theirs.peakMb),
    ];
  });
  return rows;
}

main().catch((error: unknown) => {
  console.error(error instanceof Error ? error.message : error);
  process.exit(1);
});
