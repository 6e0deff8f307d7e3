import { createHash } from "node:crypto";
import { rm, stat } from "node:fs/promises";
import { MIX_BEFORE } from "../core/engine/tap";
import type { Proof } from "../core/proof/proof";
import { seedFrom } from "../core/random";
import type { Session } from "../core/session/document";
import type { Paper } from "../core/papers/papers";
import { papersOf } from "../core/papers/papers";
import type { Manifest } from "../core/delivery/manifest";
import type { ExportPlan, StemFile } from "../core/delivery/plan";
import { sessionFor } from "../core/delivery/plan";
import type { Stamps } from "../core/delivery/stamps";
import { bextOf, stampsOf } from "../core/delivery/stamps";
import type { JobProgress } from "../contract/job";
import { passProgress } from "../contract/job";
import type { AudioStore } from "../server/audio/store";
import { writePackage } from "../server/packages/write";
import { TAIL_GUESS_S, nameOf } from "./job-context";
import { proofOf } from "./prove";
import type { HoldToFreshTask, ListenToPackageTask, OutputFile, WrittenFile } from "./task";
import { TaskFailed } from "./task";
import type { TaskOptions, ThreadPool } from "./threads";

/**
 * What a package is made from. `id` and `revision` are the session's; `date` is the revision's and stands in every
 * file.
 */
export interface PackageOrder {
  readonly session: Session;
  readonly id: string;
  readonly revision: number;
  readonly plan: ExportPlan;
  readonly date: Date;
  readonly dataRoot: string;
}

/** A package still outside its place: whoever made it moves or removes both files. */
export interface MadePackage {
  readonly zipPath: string;
  readonly bytes: number;
  readonly manifest: Manifest;
  readonly mixBefore: WrittenFile;
  /** Of the pass, times real time. */
  readonly speed: number;
}

/** Renders a delivery in one pass and packs it. Nothing is left of it when it fails. */
export async function makePackage(
  { session, id, revision, plan, date, dataRoot }: PackageOrder,
  store: AudioStore,
  pool: ThreadPool,
  threads: number,
  { signal, report }: { readonly signal: AbortSignal; readonly report: (progress: JobProgress) => void },
): Promise<MadePackage> {
  const files = [
    ...plan.files.map((f) => stemOutput(f, plan, store.unfinished(), stampsOf(session, plan, f, { id, date }))),
    mixBeforeOutput(plan, store.unfinished(), date),
  ];
  const zipPath = store.unfinished();
  try {
    const began = performance.now();
    const total = plan.to - plan.from + (plan.tail === "measured" ? TAIL_GUESS_S * session.rate : 0);
    const written = await pool.render(
      {
        kind: "render",
        session: sessionFor(session, plan),
        files,
        from: plan.from,
        to: plan.to,
        tail: plan.tail,
        dataRoot,
        ...(plan.endAt === null || plan.tail === "none" ? {} : { endAt: plan.endAt }),
      },
      threads,
      {
        signal,
        onProgress: (frames) =>
          report(
            scaled(
              passProgress(
                "rendering all stems in one pass",
                Math.max(0, frames - plan.from),
                total,
                session.rate,
                performance.now() - began,
              ),
              0,
              0.9,
            ),
          ),
      },
    );
    const mixBefore = written.at(-1);
    if (!mixBefore) throw new Error("the pass wrote no files");
    const speed = mixBefore.frames / plan.rate / ((performance.now() - began) / 1000);
    const delivered = written.slice(0, -1);
    const audioBytes = delivered.reduce((sum, f) => sum + f.bytes, 0);
    const papers = papersOf(
      session,
      plan,
      delivered.map((f) => ({ ...f, channels: f.format.channels })),
      { revision, date },
    );
    const manifest = manifestOf(session, id, revision, plan, delivered, papers);
    await writePackage(
      zipPath,
      delivered.map((f, i) => ({ path: f.path, name: plan.files[i]?.fileName ?? "", bytes: f.bytes })),
      papers,
      manifest,
      {
        date,
        signal,
        onBytes: (n) => report({ stage: "packing", done: 0.9 + (0.1 * n) / audioBytes, speed, secondsLeft: null }),
      },
    );
    await Promise.all(delivered.map((f) => rm(f.path, { force: true })));
    return { zipPath, bytes: (await stat(zipPath)).size, manifest, mixBefore, speed };
  } catch (error) {
    await Promise.all([...files.map((f) => f.path), zipPath].map((path) => rm(path, { force: true })));
    throw error;
  }
}

/**
 * Proves a package on two threads at once: one reads and measures it, the other renders everything again and holds each
 * file to that.
 */
export async function provePackage(
  order: Omit<ListenToPackageTask, "kind"> & Omit<HoldToFreshTask, "kind">,
  pool: ThreadPool,
  { signal, onProgress }: TaskOptions,
): Promise<Proof> {
  const { session, plan, zipPath, mixBeforePath, dataRoot } = order;
  const stop = new AbortController();
  const both = AbortSignal.any([signal, stop.signal]);
  const parts = { listen: 0, hold: 0 };
  const told = (which: keyof typeof parts) => (thousandths: number) => {
    parts[which] = thousandths / 1000;
    onProgress?.(0.3 * parts.listen + 0.7 * parts.hold);
  };
  const runs = [
    pool.run<"listen to package">(
      { kind: "listen to package", zipPath, mixBeforePath },
      { signal: both, onProgress: told("listen") },
    ),
    pool.run<"hold to fresh">(
      { kind: "hold to fresh", session, plan, zipPath, dataRoot },
      { signal: both, onProgress: told("hold") },
    ),
  ] as const;
  for (const run of runs) run.catch(() => stop.abort());
  const [heard, contents] = await Promise.allSettled(runs);
  if (heard.status === "fulfilled" && contents.status === "fulfilled")
    return proofOf(session, plan, heard.value, contents.value);
  const failures = [heard, contents].flatMap((r) => (r.status === "rejected" ? [r.reason as unknown] : []));
  throw failures.find((f) => !(f instanceof TaskFailed && f.fault.kind === "cancelled")) ?? failures[0];
}

const scaled = (p: JobProgress, from: number, share: number): JobProgress => ({ ...p, done: from + p.done * share });

const stemOutput = (file: StemFile, plan: ExportPlan, path: string, { bext, ...chunks }: Stamps): OutputFile => ({
  tap: file.tap,
  path,
  foldMono: true,
  format: { rate: plan.rate, channels: 2, depth: plan.depth },
  ditherSeed: plan.dither && plan.depth !== "32f" ? seedFrom(file.fileName) : null,
  bext,
  chunks,
});

const mixBeforeOutput = (plan: ExportPlan, path: string, date: Date): OutputFile => ({
  tap: MIX_BEFORE,
  path,
  foldMono: false,
  format: { rate: plan.rate, channels: 2, depth: "32f" },
  ditherSeed: null,
  bext: bextOf("Mix before its chain", plan, { date }),
});

function manifestOf(
  session: Session,
  id: string,
  revision: number,
  plan: ExportPlan,
  files: readonly WrittenFile[],
  papers: readonly Paper[],
): Manifest {
  return {
    format: "stemzo-manifest",
    version: 2,
    session: { id, name: session.name, revision, rate: session.rate },
    folder: plan.folder,
    rate: plan.rate,
    depth: plan.depth,
    dither: plan.dither && plan.depth !== "32f",
    frames: files[0]?.frames ?? 0,
    range: { from: plan.from, to: plan.to, tail: plan.tail },
    timeReference: plan.timeReference,
    leadIn: session.leadIn,
    tempo: session.tempo.map((p) => ({ ...p })),
    meter: session.meter.map((p) => ({ ...p })),
    files: plan.files.map((f, i) => ({
      name: f.fileName,
      title: f.title,
      role: f.role,
      sources: f.sources.map((s) => nameOf(session, s)),
      tap: f.tap.kind === "mix" ? f.tap.at : `${f.tap.at}${f.tap.returns ? " with returns" : ""}`,
      channels: files[i]?.format.channels ?? 2,
      frames: files[i]?.frames ?? 0,
      bytes: files[i]?.bytes ?? 0,
      sha256: files[i]?.sha256 ?? "",
      fingerprint: f.fingerprint,
    })),
    papers: papers.map(({ name, role, bytes }) => ({
      name,
      role,
      bytes: bytes.length,
      sha256: createHash("sha256").update(bytes).digest("hex"),
    })),
  };
}
