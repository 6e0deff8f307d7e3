import { offsetFrames } from "../core/analysis/correlation";
import { Meter } from "../core/analysis/measure";
import { Resampler } from "../core/analysis/resample";
import type { Sink } from "../core/engine/render";
import { RenderCancelled, render } from "../core/engine/render";
import type { Tap } from "../core/engine/tap";
import { MalformedFile } from "../core/formats/bytes/bytes";
import { WavReader } from "../core/formats/wav/read";
import type { FileFacts } from "../core/proof/judge";
import { judge } from "../core/proof/judge";
import type { Picture, Proof } from "../core/proof/proof";
import { residual } from "../core/proof/residual";
import { sessionFor } from "../core/stems/plan";
import { coverage } from "../core/stems/sheet";
import type { Frames } from "../core/units";
import { FileSource } from "../server/audio/file-bytes";
import { AudioStore } from "../server/audio/store";
import { openPackage } from "../server/packages/read";
import type { ProveTask } from "./task";

const BLOCK: Frames = 16384;
/** How much of each file is compared with a fresh render: 1.4 s at 48 kHz from its first sound on. */
const WINDOW: Frames = 65536;
const PICTURE_POINTS = 400;
/** Unlike the export's, so that the fresh render shares as little as possible with what it checks. */
const FRESH_BLOCK: Frames = 1024;

/** Reads a finished package back and measures everything that is promised of it. `onProgress` gets 0 to 1; false cancels. */
export async function prove(task: ProveTask, onProgress: (done: number) => boolean): Promise<Proof> {
  const { plan, session } = task;
  const step = (done: number) => {
    if (!onProgress(done)) throw new RenderCancelled("The proof was cancelled.");
  };
  const delivered = await openPackage(task.zipPath);
  const before = new FileSource(task.mixBeforePath);
  try {
    const readers = delivered.manifest.files.map((file) => {
      const entry = delivered.entries.get(file.name);
      if (!entry) throw new MalformedFile(`"${file.name}" is in the manifest and not in the package`);
      return { file, entry, wav: WavReader.open(entry.source) };
    });
    const seen: (Omit<FileFacts, "offsetFrames"> & { picture: Picture })[] = [];
    for (const [i, { file, entry, wav }] of readers.entries()) {
      seen.push({
        name: file.name,
        role: file.role,
        rate: wav.format.rate,
        depth: wav.format.depth,
        channels: wav.format.channels,
        frames: wav.frames,
        timeReference: wav.bext?.timeReference ?? null,
        sha256: await entry.sha256(),
        ...listenThrough(wav),
      });
      step((0.5 * (i + 1)) / readers.length);
    }
    const windows = seen.map(({ measures }) => Math.max(0, Math.min(measures.firstSound ?? 0, measures.frames - WINDOW)));
    const offsets = compareWithFresh(
      task,
      readers.map(({ wav, file }, i) => ({ wav, start: windows[i] ?? 0, tap: plan.files.find((f) => f.fileName === file.name)?.tap ?? null })),
      (done) => step(0.5 + 0.4 * done),
    );
    const files = seen.map((facts, i) => ({ ...facts, offsetFrames: offsets[i] ?? null }));
    const stems = readers.filter(({ file }) => file.role === "stem").map(({ wav }) => wav);
    const sum = residual(stems, WavReader.open(before), plan.rate);
    step(1);
    const unsummable = coverage(session);
    return { manifest: delivered.manifest, zipBytes: delivered.bytes, files, residual: sum, unsummable, verdict: judge(delivered.manifest, files, sum, unsummable) };
  } finally {
    delivered.close();
    before.close();
  }
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
    measures: meter.finish(),
    picture: {
      peaks: [...peaks].map((v) => Math.max(-127, Math.min(127, Math.round(v * 127)))),
      loudness: shortTerm.filter((_, i) => i % every === 0).map((v) => (Number.isFinite(v) ? Math.round(v * 10) / 10 : null)),
    },
  };
}

interface Compared {
  readonly wav: WavReader;
  readonly start: Frames;
  readonly tap: Tap | null;
}

/** Renders every file's tap again, as far as the windows reach, and finds how many frames each delivered window is off. */
function compareWithFresh(task: ProveTask, files: readonly Compared[], onProgress: (done: number) => void): readonly (Frames | null)[] {
  const { plan } = task;
  const session = sessionFor(task.session, plan);
  const library = new AudioStore(task.dataRoot).library();
  const fresh = files.map(() => new Float32Array(WINDOW));
  const resamplers: Resampler[] = [];
  const compared = files.map((f, i) => ({ ...f, i })).filter((f): f is typeof f & { tap: Tap } => f.tap !== null);
  const reach = Math.max(...files.map((f) => f.start)) + WINDOW;
  const margin = Math.ceil((reach * session.rate) / plan.rate) + 4096;
  try {
    render({
      session,
      library: library.find,
      from: plan.from,
      to: plan.from + margin,
      tail: "none",
      ...(plan.endAt === null || plan.tail === "none" ? {} : { endAt: plan.endAt }),
      blockFrames: FRESH_BLOCK,
      onBlock: (done) => {
        onProgress(Math.min(1, Math.max(0, done - plan.from) / margin));
        return true;
      },
      taps: compared.map(({ tap, start, i }) => {
        const window = fresh[i] as Float32Array;
        let at = 0;
        const capture: Sink = (left, right, offset, count) => {
          for (let k = Math.max(0, start - at); k < Math.min(count, start + WINDOW - at); k++) {
            window[at + k - start] = (left[offset + k] as number) + (right[offset + k] as number) * 0.5;
          }
          at += count;
        };
        if (plan.rate === session.rate) return { tap, sink: capture };
        const resampler = new Resampler(session.rate, plan.rate, capture);
        resamplers.push(resampler);
        return { tap, sink: resampler.push.bind(resampler) };
      }),
    });
  } finally {
    library.close();
  }
  for (const r of resamplers) r.finish();
  return files.map(({ wav, start, tap }, i) => {
    if (!tap) return null;
    const left = new Float32Array(WINDOW);
    const right = new Float32Array(WINDOW);
    wav.read(start, Math.min(WINDOW, wav.frames - start), left, right, 0);
    return offsetFrames(left.map((v, k) => v + (right[k] as number) * 0.5), fresh[i] as Float32Array);
  });
}
