import type { ResultOf } from "../../contract/job-kinds";
import type { AudioReader } from "../../core/audio/audio-reader";
import { RenderCancelled } from "../../core/engine/render";
import { DifferenceFinder } from "../../core/analysis/difference";
import type { Manifest } from "../../core/delivery/manifest";
import { AudioStore } from "../../server/audio/store";
import type { PackageReader } from "../../server/packages/read";
import { openPackage } from "../../server/packages/read";
import { openDelivered } from "./open-delivered";

/** Holds two packages against each other. */
export interface ComparePackagesTask {
  readonly kind: "compare packages";
  readonly earlierPath: string;
  readonly laterPath: string;
  readonly dataRoot: string;
}

export type PackageDifferences = Omit<ResultOf<"differences">, "kind" | "earlier" | "later">;
type FileOf = Manifest["files"][number];

const BLOCK = 16384;

/** Which file of an earlier package each of a later one is: by its name, its title, or its sound under another name. */
export function pairs(earlier: Manifest, later: Manifest) {
  const free = new Set(earlier.files);
  const paired: (readonly [FileOf | null, FileOf])[] = [];
  const rules: readonly ((a: FileOf, b: FileOf) => boolean)[] = [
    (a, b) => a.name === b.name,
    (a, b) => a.title === b.title && a.role === b.role,
    (a, b) => a.fingerprint === b.fingerprint && a.role === b.role,
  ];
  const found = new Map<FileOf, FileOf>();
  for (const rule of rules)
    for (const file of later.files) {
      if (found.has(file)) continue;
      const match = [...free].find((a) => rule(a, file));
      if (!match) continue;
      free.delete(match);
      found.set(file, match);
    }
  for (const file of later.files) paired.push([found.get(file) ?? null, file]);
  return { paired, removed: [...free] };
}

/** Holds every file of a package to the one that it was in an earlier package. `onProgress` gets 0 to 1. */
export async function comparePackages(
  { earlierPath, laterPath, dataRoot }: ComparePackagesTask,
  onProgress: (done: number) => boolean,
): Promise<PackageDifferences> {
  const store = new AudioStore(dataRoot);
  const earlier = await openPackage(earlierPath);
  const later = await openPackage(laterPath).catch((error: unknown) => {
    earlier.close();
    throw error;
  });
  try {
    const { paired, removed } = pairs(earlier.manifest, later.manifest);
    const answer = {
      added: paired.filter(([a]) => a === null).map(([, b]) => b.name),
      removed: removed.map((f) => f.name),
      renamed: paired.flatMap(([a, b]) => (a && a.name !== b.name ? [{ from: a.name, to: b.name }] : [])),
      same: [] as string[],
      changed: [] as PackageDifferences["changed"][number][],
    };
    for (const [i, [a, b]] of paired.entries()) {
      if (a && a.sha256 !== b.sha256) {
        const found = await withBoth(store, [earlier, a], [later, b], differing);
        if (found.spans.length > 0) answer.changed.push({ name: b.name, ...found });
        else answer.same.push(b.name);
      } else if (a) answer.same.push(b.name);
      if (!onProgress((i + 1) / paired.length)) throw new RenderCancelled("The comparison was cancelled.");
    }
    return answer;
  } finally {
    earlier.close();
    later.close();
  }
}

async function withBoth<T>(
  store: AudioStore,
  ...args: readonly [
    readonly [PackageReader, FileOf],
    readonly [PackageReader, FileOf],
    (a: AudioReader, b: AudioReader, rate: number) => T,
  ]
): Promise<T> {
  const [[one, a], [other, b], work] = args;
  const open = (reader: PackageReader, file: FileOf) => {
    const entry = reader.entries.get(file.name);
    if (!entry) throw new Error(`the package lacks "${file.name}"`);
    return openDelivered(entry.source, file.format, store.unfinished());
  };
  const first = await open(one, a);
  try {
    const second = await open(other, b);
    try {
      return work(first.audio, second.audio, second.rate);
    } finally {
      second.close();
    }
  } finally {
    first.close();
  }
}

/** Where two files differ. Where one is longer, the other is silent. */
function differing(a: AudioReader, b: AudioReader, rate: number) {
  const frames = Math.max(a.frames, b.frames);
  const finder = new DifferenceFinder(rate);
  const x = [new Float32Array(BLOCK), new Float32Array(BLOCK)] as const;
  const y = [new Float32Array(BLOCK), new Float32Array(BLOCK)] as const;
  for (let from = 0; from < frames; from += BLOCK) {
    const n = Math.min(BLOCK, frames - from);
    for (const [file, into] of [
      [a, x],
      [b, y],
    ] as const) {
      const there = Math.max(0, Math.min(n, file.frames - from));
      if (there > 0) file.read(from, there, into[0], into[1], 0);
      for (const channel of into) channel.fill(0, there, n);
    }
    finder.push(x, y, 0, n);
  }
  return finder.finish();
}
