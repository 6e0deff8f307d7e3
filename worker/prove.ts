import { Meter } from "../core/analysis/measure";
import { Resampler, convertedFrame, converterReach } from "../core/analysis/resample";
import { RenderCancelled, render } from "../core/engine/render";
import { MIX_BEFORE } from "../core/engine/tap";
import { MalformedFile } from "../core/formats/bytes/bytes";
import { WavReader } from "../core/formats/wav/read";
import type { Content } from "../core/proof/content";
import { ContentCheck } from "../core/proof/content";
import type { FileFacts } from "../core/proof/judge";
import { judge } from "../core/proof/judge";
import type { Picture, Proof } from "../core/proof/proof";
import type { Residual } from "../core/proof/residual";
import { residual } from "../core/proof/residual";
import type { Session } from "../core/session/document";
import type { Manifest } from "../core/delivery/manifest";
import { HASH_LIST_NAME } from "../core/delivery/manifest";
import type { ExportPlan } from "../core/delivery/plan";
import { sessionFor } from "../core/delivery/plan";
import { coverage } from "../core/delivery/sheet";
import type { Frames } from "../core/units";
import { FileSource } from "../server/audio/file-bytes";
import { AudioStore } from "../server/audio/store";
import type { PackageReader } from "../server/packages/read";
import { openPackage } from "../server/packages/read";
import type { HoldToFreshTask, ListenToPackageTask } from "./task";

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
  readonly residual: Residual;
  /** A sentence for everything beside the audio that is not as it was promised. */
  readonly besideFaults: readonly string[];
}

interface Delivered {
  readonly file: Manifest["files"][number];
  readonly wav: WavReader;
  sha256(): Promise<string>;
}

async function withPackage<T>(
  zipPath: string,
  work: (manifest: Manifest, files: readonly Delivered[], delivered: PackageReader) => Promise<T> | T,
): Promise<T> {
  const delivered = await openPackage(zipPath);
  try {
    const files = delivered.manifest.files.map((file): Delivered => {
      const entry = delivered.entries.get(file.name);
      if (!entry) throw new MalformedFile(`"${file.name}" is in the manifest and not in the package`);
      return { file, wav: WavReader.open(entry.source), sha256: () => entry.sha256() };
    });
    return await work(delivered.manifest, files, delivered);
  } finally {
    delivered.close();
  }
}

/**
 * Reads a finished package back and measures every file of it, and what their sum leaves of the mix. `onProgress` gets
 * 0 to 1; false cancels.
 */
export function listenToPackage(task: ListenToPackageTask, onProgress: (done: number) => boolean): Promise<Listened> {
  return withPackage(task.zipPath, async (manifest, delivered, reader) => {
    const before = new FileSource(task.mixBeforePath);
    try {
      const files: Listened["files"][number][] = [];
      for (const [i, { file, wav, sha256 }] of delivered.entries()) {
        files.push({
          name: file.name,
          role: file.role,
          rate: wav.format.rate,
          depth: wav.format.depth,
          channels: wav.format.channels,
          frames: wav.frames,
          timeReference: wav.bext?.timeReference ?? null,
          sha256: await sha256(),
          ...listenThrough(wav),
        });
        if (!onProgress((0.8 * (i + 1)) / delivered.length)) throw new RenderCancelled("The proof was cancelled.");
      }
      const stems = delivered.filter(({ file }) => file.role === "stem").map(({ wav }) => wav);
      return {
        manifest,
        zipBytes: reader.bytes,
        files,
        residual: residual(stems, WavReader.open(before), manifest.rate),
        besideFaults: await faultsBeside(reader),
      };
    } finally {
      before.close();
    }
  });
}

/**
 * Renders everything again, and holds every file of a package to it from end to end. The answers are in the order of
 * the manifest; null for a file that the plan does not know.
 */
export function holdToFresh(
  task: HoldToFreshTask,
  onProgress: (done: number) => boolean,
): Promise<readonly (Content | null)[]> {
  const { plan } = task;
  const session = sessionFor(task.session, plan);
  return withPackage(task.zipPath, (_, delivered) => {
    const missing = plan.files.find((f) => !delivered.some(({ file }) => file.name === f.fileName));
    if (missing) throw new MalformedFile(`"${missing.fileName}" is a file of the sheet and not in the package`);
    const library = new AudioStore(task.dataRoot).library();
    const around = plan.rate === session.rate ? { before: 0, behind: 0 } : converterReach(session.rate, plan.rate);
    const from = Math.max(0, plan.from - around.before);
    const checks = delivered.map(({ file, wav }) => {
      const planned = plan.files.find((f) => f.fileName === file.name);
      if (!planned) return null;
      const check = new ContentCheck(wav, plan.depth);
      const converter =
        plan.rate === session.rate
          ? null
          : new Resampler(session.rate, plan.rate, check.sink, {
              at: from,
              first: convertedFrame(plan.from, session.rate, plan.rate),
            });
      return { tap: planned.tap, check, converter };
    });
    const total = plan.to - plan.from;
    try {
      render({
        session,
        library: library.find,
        from,
        to: plan.to,
        tail: plan.tail,
        beyond: around.behind,
        blockFrames: FRESH_BLOCK,
        ...(plan.endAt === null || plan.tail === "none" ? {} : { endAt: plan.endAt }),
        onBlock: (done) => onProgress(Math.min(1, Math.max(0, done - plan.from) / total)),
        taps: [
          ...checks.flatMap((c) =>
            c ? [{ tap: c.tap, sink: c.converter ? c.converter.push.bind(c.converter) : c.check.sink }] : [],
          ),
          // The pass ended when all its taps were quiet, this one too.
          { tap: MIX_BEFORE, sink: () => undefined },
        ],
      });
    } finally {
      library.close();
    }
    return checks.map((c) => {
      c?.converter?.finish(around.behind);
      return c ? c.check.finish() : null;
    });
  });
}

/** The verdict on a package from what both threads found. */
export function proofOf(
  session: Session,
  plan: ExportPlan,
  { manifest, zipBytes, files, residual, besideFaults }: Listened,
  contents: readonly (Content | null)[],
): Proof {
  const facts = files.map((file, i) => {
    const content = contents[i] ?? null;
    return {
      ...file,
      offsetFrames: content?.offsetFrames ?? null,
      silence: plan.files.find((f) => f.fileName === file.name)?.silence ?? null,
      ...(content ? { content } : {}),
    };
  });
  const unsummable = coverage(session);
  return {
    manifest,
    zipBytes,
    files: facts,
    residual,
    unsummable,
    verdict: judge(manifest, facts, residual, unsummable, besideFaults),
  };
}

/** What of a package's papers, of its list of hashes, or of anything else in it is not as the manifest says. */
async function faultsBeside({ manifest, entries, hashListAgrees }: PackageReader): Promise<readonly string[]> {
  const faults: string[] = [];
  for (const { name, sha256 } of manifest.papers) {
    const found = await entries.get(name)?.sha256();
    if (found === undefined) faults.push(`${name} is missing`);
    else if (found !== sha256) faults.push(`${name} is another`);
  }
  if (hashListAgrees === false) faults.push(`${HASH_LIST_NAME} says something else than the manifest`);
  if (hashListAgrees === null && manifest.papers.length > 0) faults.push(`${HASH_LIST_NAME} is missing`);
  const promised = new Set([...manifest.files, ...manifest.papers].map((f) => f.name));
  for (const name of entries.keys()) if (!promised.has(name)) faults.push(`${name} was not promised`);
  return faults;
}

function listenThrough(wav: WavReader): Pick<FileFacts, "measures"> & { picture: Picture } {
  const meter = new Meter(wav.format.rate);
  const left = new Float32Array(BLOCK);
  const right = new Float32Array(BLOCK);
  const span = Math.max(1, Math.ceil(wav.frames / PICTURE_POINTS));
  const points = Math.ceil(wav.frames / span);
  const peaks = new Float32Array(2 * points);
  for (let from = 0; from < wav.frames; from += BLOCK) {
    const n = Math.min(BLOCK, wav.frames - from);
    wav.read(from, n, left, right, 0);
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
    measures: meter.finish(wav.format.channels),
    picture: {
      peaks: [...peaks].map((v) => Math.max(-127, Math.min(127, Math.round(v * 127)))),
      loudness: shortTerm
        .filter((_, i) => i % every === 0)
        .map((v) => (Number.isFinite(v) ? Math.round(v * 10) / 10 : null)),
    },
  };
}
