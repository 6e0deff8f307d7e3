import type { AudioReader } from "../../core/audio/audio-reader";
import { Meter } from "../../core/analysis/measure";
import { Resampler, convertedFrame, converterReach } from "../../core/analysis/resample";
import type { Sink } from "../../core/engine/render";
import { RenderCancelled, render } from "../../core/engine/render";
import type { Tap } from "../../core/engine/tap";
import { MalformedFile } from "../../core/formats/bytes/bytes";
import { WavReader } from "../../core/formats/wav/read";
import type { Content } from "../../core/proof/content";
import { ContentCheck } from "../../core/proof/content";
import type { BesideFault, FileFacts } from "../../core/proof/judge";
import { judge } from "../../core/proof/judge";
import type { Picture, Proof, ProvenFile } from "../../core/proof/proof";
import type { Residual } from "../../core/proof/residual";
import { residual } from "../../core/proof/residual";
import type { Session } from "../../core/session/document";
import type { Manifest } from "../../core/delivery/manifest";
import { HASH_LIST_NAME } from "../../core/delivery/package-names";
import type { ExportPlan } from "../../core/delivery/plan";
import { passOf, planAsMade } from "../../core/delivery/plan";
import { coverage, type Gap } from "../../core/delivery/coverage";
import { sayGap } from "../../core/words/coverage";
import { sayCause, sayVerdict } from "../../core/words/verdict";
import type { Frames } from "../../core/units";
import { FileSource } from "../../server/audio/file-bytes";
import { AudioStore } from "../../server/audio/store";
import type { PackageReader } from "../../server/packages/read";
import { openPackage } from "../../server/packages/read";
import { folded } from "../render/fold";
import type { DeliveredAudio } from "../compare/open-delivered";
import { openDelivered } from "../compare/open-delivered";
import { sessionFileFaults } from "../session-files/check";

/**
 * Measures every file of a package by itself. `wholePath`: the mix that its stems should add up to, from the same pass,
 * at the delivered rate; null where none was made.
 */
export interface ListenToPackageTask {
  readonly kind: "listen to package";
  readonly zipPath: string;
  readonly wholePath: string | null;
  readonly dataRoot: string;
}

/** Renders a delivery again in one thread and holds the package to it. */
export interface HoldToFreshTask {
  readonly kind: "hold to fresh";
  readonly session: Session;
  readonly plan: ExportPlan;
  readonly zipPath: string;
  readonly dataRoot: string;
}

const BLOCK: Frames = 16384;
const PICTURE_POINTS = 400;
/**
 * Unlike any export's, so that the fresh render shares as little as possible with what it checks; it is computed by one
 * thread, too.
 */
const FRESH_BLOCK: Frames = 640;

/** What two threads find in a package: what its files are by themselves, and what they are beside a fresh render. */
export interface Listened {
  readonly manifest: Manifest;
  readonly zipBytes: number;
  readonly files: readonly (Omit<FileFacts, "offsetFrames" | "content" | "silence"> & { readonly picture: Picture })[];
  /** Null where no mix was rendered beside the stems. */
  readonly residual: Residual | null;
  /** Everything beside the audio that is not as it was promised. */
  readonly besideFaults: readonly BesideFault[];
}

/** What a fresh render, and the session itself, say of a package. */
export interface HeldToFresh {
  /** In the order of the manifest; null for a file that the plan does not know. */
  readonly contents: readonly (Content | null)[];
  /** Everything in its session files that is not as in the session. */
  readonly sessionFaults: readonly BesideFault[];
}

interface Delivered extends DeliveredAudio {
  readonly file: Manifest["files"][number];
  sha256(): Promise<string>;
}

async function withPackage<T>(
  { zipPath, dataRoot }: Pick<ListenToPackageTask, "zipPath" | "dataRoot">,
  work: (manifest: Manifest, files: readonly Delivered[], delivered: PackageReader) => Promise<T> | T,
): Promise<T> {
  const store = new AudioStore(dataRoot);
  const delivered = await openPackage(zipPath);
  const opened: { close(): void }[] = [];
  try {
    const files: Delivered[] = [];
    for (const file of delivered.manifest.files) {
      const entry = delivered.entries.get(file.name);
      if (!entry) throw new MalformedFile(`"${file.name}" is in the manifest and not in the package`);
      const audio = await openDelivered(entry.source, file.format, store.unfinished());
      opened.push(audio);
      files.push({ ...audio, file, sha256: () => entry.sha256() });
    }
    return await work(delivered.manifest, files, delivered);
  } finally {
    for (const file of opened) file.close();
    delivered.close();
  }
}

/**
 * Reads a finished package back and measures every file of it, and what their sum leaves of the mix. `onProgress` gets
 * 0 to 1; false cancels.
 */
export function listenToPackage(task: ListenToPackageTask, onProgress: (done: number) => boolean): Promise<Listened> {
  return withPackage(task, async (manifest, delivered, reader) => {
    const files: Listened["files"][number][] = [];
    for (const [i, { file, audio, rate, depth, timeReference, sha256 }] of delivered.entries()) {
      files.push({
        name: file.name,
        role: file.role,
        rate,
        depth,
        channels: audio.channels,
        frames: audio.frames,
        timeReference,
        sha256: await sha256(),
        ...listenThrough(audio, rate),
      });
      if (!onProgress((0.8 * (i + 1)) / delivered.length)) throw new RenderCancelled("The proof was cancelled.");
    }
    return {
      manifest,
      zipBytes: reader.bytes,
      files,
      residual: task.wholePath === null ? null : sumUp(manifest, delivered, task.wholePath),
      besideFaults: await faultsBeside(reader),
    };
  });
}

/** What the stems of a package leave of the mix that they should add up to. */
function sumUp(manifest: Manifest, delivered: readonly Delivered[], wholePath: string): Residual {
  const whole = new FileSource(wholePath);
  try {
    const parts = delivered
      .filter(({ file }) => file.role === "stem")
      .map(({ audio, file }) => ({ audio, side: file.fold === "mono" ? null : file.fold }));
    return residual(parts, WavReader.open(whole), manifest.rate);
  } finally {
    whole.close();
  }
}

/**
 * Renders everything again, and holds every file of a package to it from end to end. The answers are in the order of
 * the manifest; null for a file that the plan does not know.
 */
export function holdToFresh(task: HoldToFreshTask, onProgress: (done: number) => boolean): Promise<HeldToFresh> {
  return withPackage(task, async (manifest, delivered, reader) => {
    const throwIfCancelled = () => {
      if (!onProgress(0)) throw new RenderCancelled("The proof was cancelled.");
    };
    const sessionFaults = await sessionFileFaults(task.session, reader, throwIfCancelled);
    if (delivered.length === 0) return { contents: [], sessionFaults };
    const plan = planAsMade(task.plan, manifest);
    const pass = passOf(task.session, plan);
    const spared = new Set(manifest.since && !manifest.since.full ? manifest.since.unchanged : []);
    const missing = plan.files.find(
      (f) => !spared.has(f.fileName) && !delivered.some(({ file }) => file.name === f.fileName),
    );
    if (missing) throw new MalformedFile(`"${missing.fileName}" is a file of the sheet and not in the package`);
    const library = new AudioStore(task.dataRoot).library();
    const { rate } = task.session;
    const around = plan.rate === rate ? { before: 0, behind: 0 } : converterReach(rate, plan.rate);
    const from = Math.max(0, plan.from - around.before);
    const checks = delivered.map(({ file, audio, rate: fileRate }) => {
      const planned = plan.files.find((f) => f.fileName === file.name);
      if (!planned) return null;
      const check = new ContentCheck(audio, file.format === "mp3" ? "16" : plan.depth);
      // An MP3 may have half the rate of the file that it was made from.
      const halved = fileRate === plan.rate ? null : new Resampler(plan.rate, fileRate, check.sink);
      const last = halved ? halved.push.bind(halved) : check.sink;
      feedSilence(last, plan.leadFrames);
      const sink = planned.fold ? folded(last, planned.fold) : last;
      const converter =
        plan.rate === rate
          ? null
          : new Resampler(rate, plan.rate, sink, { at: from, first: convertedFrame(plan.from, rate, plan.rate) });
      return { tap: planned.tap, check, halved, converter, sink: converter ? converter.push.bind(converter) : sink };
    });
    const total = pass.to - plan.from;
    const unheard = (tap: Tap) => ({ tap, sink: () => undefined });
    try {
      render({
        ...pass,
        library: library.find,
        from,
        beyond: around.behind,
        blockFrames: FRESH_BLOCK,
        onBlock: (done) => onProgress(Math.min(1, Math.max(0, done - plan.from) / total)),
        taps: [
          ...checks.flatMap((c) => (c ? [{ tap: c.tap, sink: c.sink }] : [])),
          // The pass ended when all its taps were quiet, these too.
          ...plan.files.filter((f) => spared.has(f.fileName)).map((f) => unheard(f.tap)),
          ...(plan.whole ? [unheard(plan.whole)] : []),
        ],
      });
    } finally {
      library.close();
    }
    const contents = checks.map((c) => {
      c?.converter?.finish(around.behind);
      c?.halved?.finish();
      return c ? c.check.finish() : null;
    });
    return { contents, sessionFaults };
  });
}

function feedSilence(sink: Sink, frames: Frames): void {
  const silence = new Float32Array(BLOCK);
  for (let left = frames; left > 0; left -= BLOCK) sink(silence, silence, 0, Math.min(BLOCK, left));
}

/** The verdict on a package from what both threads found. */
export function proofOf(
  session: Session,
  plan: ExportPlan,
  { manifest, zipBytes, files, residual, besideFaults }: Listened,
  { contents, sessionFaults }: HeldToFresh,
): Proof {
  const facts = files.map((file, i): FileFacts & { readonly picture: Picture } => {
    const content = contents[i] ?? null;
    return {
      ...file,
      offsetFrames: content?.offsetFrames ?? null,
      silence: plan.files.find((f) => f.fileName === file.name)?.silence ?? null,
      ...(content ? { content } : {}),
    };
  });
  const { since } = manifest;
  const gaps: readonly Gap[] = [
    ...coverage(session),
    ...(since && !since.full && since.unchanged.length > 0 ? [{ kind: "changed files alone" } as const] : []),
  ];
  return {
    manifest,
    zipBytes,
    files: facts.map(inWords),
    residual,
    unsummable: gaps.map(sayGap),
    verdict: sayVerdict(judge(manifest, facts, residual, gaps.length === 0, [...besideFaults, ...sessionFaults])),
  };
}

function inWords({ content, ...facts }: FileFacts & { readonly picture: Picture }): ProvenFile {
  if (!content) return facts;
  return { ...facts, content: { ...content, cause: content.cause && sayCause(content.cause) } };
}

/** What of a package's papers, of its list of hashes, or of anything else in it is not as the manifest says. */
async function faultsBeside({ manifest, entries, hashListAgrees }: PackageReader): Promise<readonly BesideFault[]> {
  const faults: BesideFault[] = [];
  for (const { name, sha256 } of manifest.papers) {
    const found = await entries.get(name)?.sha256();
    if (found === undefined) faults.push({ kind: "missing", name });
    else if (found !== sha256) faults.push({ kind: "other bytes", name });
  }
  if (hashListAgrees === false) faults.push({ kind: "other hashes", name: HASH_LIST_NAME });
  if (hashListAgrees === null && manifest.papers.length > 0) faults.push({ kind: "missing", name: HASH_LIST_NAME });
  const expected = manifest.sessionFiles.flatMap((f) => [f.name, ...f.beside.map((b) => b.name)]);
  const promised = new Set([...[...manifest.files, ...manifest.papers].map((f) => f.name), ...expected]);
  for (const name of entries.keys()) if (!promised.has(name)) faults.push({ kind: "not promised", name });
  return faults;
}

function listenThrough(audio: AudioReader, rate: number): Pick<FileFacts, "measures"> & { picture: Picture } {
  const meter = new Meter(rate);
  const left = new Float32Array(BLOCK);
  const right = new Float32Array(BLOCK);
  const span = Math.max(1, Math.ceil(audio.frames / PICTURE_POINTS));
  const points = Math.ceil(audio.frames / span);
  const peaks = new Float32Array(2 * points);
  for (let from = 0; from < audio.frames; from += BLOCK) {
    const n = Math.min(BLOCK, audio.frames - from);
    audio.read(from, n, left, right, 0);
    meter.push(left, right, 0, n);
    for (let i = 0; i < n; i++) {
      const k = 2 * Math.floor((from + i) / span);
      const l = left[i] as number;
      const r = right[i] as number;
      if (l < (peaks[k] as number)) peaks[k] = l;
      if (r < (peaks[k] as number)) peaks[k] = r;
      if (l > (peaks[k + 1] as number)) peaks[k + 1] = l;
      if (r > (peaks[k + 1] as number)) peaks[k + 1] = r;
    }
  }
  const shortTerm = meter.shortTerm();
  const every = Math.max(1, Math.ceil(shortTerm.length / PICTURE_POINTS));
  return {
    measures: meter.finish(audio.channels),
    picture: {
      peaks: [...peaks].map((v) => Math.max(-127, Math.min(127, Math.round(v * 127)))),
      loudness: shortTerm
        .filter((_, i) => i % every === 0)
        .map((v) => (Number.isFinite(v) ? Math.round(v * 10) / 10 : null)),
    },
  };
}
