import { createHash } from "node:crypto";
import { rm, stat } from "node:fs/promises";
import type { FileFactsAsMade } from "../contract/handoff";
import type { JobProgress } from "../contract/job";
import { passProgress } from "../contract/job";
import type { Comparison } from "../core/delivery/changes";
import { compareWithEarlier } from "../core/delivery/changes";
import type { Changes, Manifest } from "../core/delivery/manifest";
import type { ExportPlan, StemFile } from "../core/delivery/plan";
import { endOf, goingTo, passOf } from "../core/delivery/plan";
import type { Stamps } from "../core/delivery/stamps";
import { bextOf, stampsOf } from "../core/delivery/stamps";
import { tailFloor } from "../core/engine/tail";
import type { Tap } from "../core/engine/tap";
import { gainToDb } from "../core/math";
import type { FileAsWritten } from "../core/papers/facts";
import { thinned } from "../core/papers/outline";
import { sheetFacts, ticksOf } from "../core/papers/facts";
import type { Paper } from "../core/papers/papers";
import { papersOf } from "../core/papers/papers";
import type { Proof } from "../core/proof/proof";
import { seedFrom } from "../core/random";
import type { Session } from "../core/session/document";
import type { AudioStore } from "../server/audio/store";
import type { PackedFile } from "../server/packages/write";
import { writePackage } from "../server/packages/write";
import type { PackageReader } from "../server/packages/read";
import { openPackage } from "../server/packages/read";
import { sheetPdf } from "../server/packages/sheet-pdf";
import { TAIL_GUESS_S, nameOf } from "./job-context";
import { outputKey, type OutputOrder } from "./output-key";
import { proofOf } from "./prove";
import type { BundleBeside } from "../contract/bundle";
import type { MadeSessionFiles } from "./session-files/session-files";
import { makeSessionFiles } from "./session-files/session-files";
import type { TaskOptions, ThreadPool } from "./threads";
import type { OutputFile, WrittenFile } from "./output-file";
import type { HoldToFreshTask, ListenToPackageTask } from "./prove";
import { TaskFailed } from "./thread-messages";

/** A package that another one carries on. */
export interface EarlierPackage {
  readonly handoff: string;
  readonly manifest: Manifest;
  readonly facts: readonly FileFactsAsMade[];
  readonly path: string;
  /** Whether files that stayed as they were come along. */
  readonly full: boolean;
}

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
  readonly earlier?: EarlierPackage | null;
  /** What is told in the session files, where that is more than what is delivered. */
  readonly document?: Session;
  /** What a bundle holds beside the document and its audio; needed where one is asked for. */
  readonly bundle?: BundleBeside | null;
}

/** A package still outside its place: its maker moves or removes both files. */
export interface MadePackage {
  readonly zipPath: string;
  readonly bytes: number;
  readonly manifest: Manifest;
  readonly facts: readonly FileFactsAsMade[];
  /** The mix that the stems should add up to; null where none was rendered. */
  readonly whole: WrittenFile | null;
  /** Of the pass, times real time; of none where everything was there. */
  readonly speed: number;
}

interface Work {
  readonly store: AudioStore;
  readonly pool: ThreadPool;
  readonly threads: number;
  readonly signal: AbortSignal;
  readonly report: (progress: JobProgress) => void;
}

/** A file as it goes into a package: rendered, or as it was in an earlier one. */
interface Ready extends FileAsWritten {
  readonly rate: number;
  readonly packed: PackedFile;
}

/**
 * Renders a delivery in one pass and packs it; of one that carries an earlier package on, only what changed. Nothing is
 * left of it when it fails.
 */
export async function makePackage(order: PackageOrder, work: Work): Promise<MadePackage> {
  const { session, plan, id, date, earlier = null } = order;
  const stamps = plan.files.map((f) => stampsOf(session, plan, f, { id, date }));
  const keys = plan.files.map((f, i) =>
    outputKey(f.fingerprint, stemOrder(f, plan, stamps[i] as Stamps), { from: plan.from, endAt: plan.endAt }),
  );
  const comparison = earlier && compareWithEarlier(plan, keys, earlier.manifest);
  let whyAll = earlier && whyNotCarriedOn(plan, earlier.manifest);
  if (comparison && whyAll === null) {
    if (isNothingNew(comparison, order)) throw new NothingChanged();
    const made = await packed(order, work, stamps, keys, comparison, null);
    if (made) return made;
    whyAll = "what changed rings longer than it did before";
  }
  const made = await packed(order, work, stamps, keys, comparison && anew(comparison), whyAll);
  if (!made) throw new Error("a package that takes nothing from an earlier one was held to its length");
  return made;
}

/** A package of the changed files alone would be empty: they are what they were, and nothing else is asked for. */
const isNothingNew = ({ reused, changes }: Comparison, { earlier, session }: PackageOrder): boolean =>
  earlier?.full === false &&
  reused.every((f) => f !== null) &&
  changes.removed.length === 0 &&
  session.sheet.sessionFiles.length === 0;

/** Every file of a delivery is as it was in the earlier package. */
export class NothingChanged extends Error {
  override readonly name = "NothingChanged";
  constructor() {
    super("Nothing changed since that package: every file is the same.");
  }
}

/** Nothing is taken from the earlier package; what became of it is told all the same. */
const anew = ({ changes, reused }: Comparison): Comparison => ({ changes, reused: reused.map(() => null) });

/** Why no file of an earlier package can be used though its sound is the same; null where it can. */
function whyNotCarriedOn(plan: ExportPlan, { range, since }: Manifest): string | null {
  if (range.tail !== plan.tail) return "another tail was chosen";
  if (range.end === null) return "the earlier package does not say where its pass ended";
  if (since && !since.full) return "the earlier package holds only what had changed";
  if (plan.tail === "measured" ? plan.to > range.end : plan.to + plan.tailFrames !== range.end)
    return "the session has another length now";
  return null;
}

/** Null where files of the earlier package turn out to be too short for what changed. */
async function packed(
  {
    session,
    document = session,
    id,
    revision,
    plan: asked,
    date,
    dataRoot,
    earlier = null,
    bundle = null,
  }: PackageOrder,
  { store, pool, threads, signal, report }: Work,
  stamps: readonly Stamps[],
  keys: readonly string[],
  comparison: Comparison | null,
  whyAll: string | null,
): Promise<MadePackage | null> {
  const reused = comparison?.reused ?? asked.files.map(() => null);
  const kept = reused.some((f) => f !== null) ? (earlier?.manifest.range.end ?? null) : null;
  // What is only there to be compared with is not worth all the tracks that it needs.
  const isSpared = !asked.hasMix && reused.some((f) => f !== null);
  const wanted = isSpared ? { ...asked, whole: null } : asked;
  const plan = kept === null ? wanted : goingTo(wanted, kept);
  const fresh = plan.files.map((_, i) => i).filter((i) => !reused[i]);
  const outputs = [
    ...fresh.map((i) => ({
      ...stemOrder(plan.files[i] as StemFile, plan, stamps[i] as Stamps),
      path: store.unfinished(),
    })),
    ...(plan.whole ? [wholeOutput(plan.whole, plan, store.unfinished(), date)] : []),
  ];
  const zipPath = store.unfinished();
  let old: PackageReader | null = null;
  let told: MadeSessionFiles | null = null;
  let isMade = false;
  try {
    const began = performance.now();
    const pass = passOf(session, plan);
    const total = pass.to - plan.from + (pass.tail === "measured" ? TAIL_GUESS_S * session.rate : 0);
    const stage = fresh.length < plan.files.length ? "rendering what changed" : "rendering all stems in one pass";
    const onProgress = (frames: number) => {
      const done = Math.max(0, frames - plan.from);
      report(scaled(passProgress(stage, done, total, session.rate, performance.now() - began), 0, 0.9));
    };
    const written =
      outputs.length === 0
        ? []
        : await pool.render({ kind: "render", ...pass, files: outputs, dataRoot }, threads, { signal, onProgress });
    const whole = plan.whole ? (written.at(-1) ?? null) : null;
    const spent = (performance.now() - began) / 1000;
    const rendered = whole ? written.slice(0, -1) : written;
    if (kept !== null && asked.tail === "measured" && written.some(isCut)) return null;
    old = earlier && reused.some((f) => f) ? await openPackage(earlier.path) : null;
    const ready = plan.files.map((file, i): Ready => {
      const from = reused[i];
      if (from) return fromEarlier(file, from, earlier as EarlierPackage, old as PackageReader);
      const w = rendered[fresh.indexOf(i)] as WrittenFile;
      return {
        ...w,
        channels: w.format.channels,
        rate: w.format.rate,
        packed: { path: w.path, start: 0, name: file.fileName, bytes: w.bytes },
      };
    });
    const length = written.at(-1)?.frames ?? 0;
    const changes = comparison && earlier ? changesOf(comparison, earlier, whyAll) : null;
    const included = plan.files.flatMap((_, i) => (changes?.full === false && reused[i] ? [] : [i]));
    const longest = whole?.frames ?? included.reduce((most, i) => Math.max(most, sheetFrames(plan, ready[i])), length);
    const end = kept ?? endOf(plan, longest - plan.leadFrames, session.rate);
    const made = { revision, date, changes };
    const parts = { ...plan, files: included.map((i) => plan.files[i] as StemFile) };
    const files = included.map((i) => ready[i] as Ready);
    const papers = [
      ...papersOf(session, parts, files, made),
      await sheetPdf(sheetFacts(session, parts, files, made), date),
    ];
    told = await makeSessionFiles(
      { session: document, id, revision, date, dataRoot, wanted: session.sheet.sessionFiles, bundle },
      { store, pool, threads, signal, report },
    );
    const sessionFiles = told.facts;
    const describe = async () =>
      manifestOf(session, id, revision, asked, plan, {
        files: included.map((i) => ({ file: plan.files[i] as StemFile, ready: ready[i] as Ready, key: keys[i] ?? "" })),
        papers,
        sessionFiles: await sessionFiles,
        frames: longest,
        // Trimmed files do not tell how far their pass went; the mix that they are held to does.
        end: asked.ends === "equal" || asked.tail !== "measured" || kept !== null || whole ? end : null,
        since: changes,
      });
    const all = [...files.map((f) => f.packed), ...told.packed];
    const audioBytes = all.reduce((sum, f) => sum + f.bytes, 0);
    const speed = outputs.length === 0 ? 0 : (end - plan.from) / session.rate / spent;
    const described = describe();
    described.catch(() => undefined);
    await writePackage(
      zipPath,
      all,
      papers,
      { folder: plan.folder, late: described },
      {
        date,
        signal,
        onBytes: (n) => report({ stage: "packing", done: 0.9 + (0.1 * n) / audioBytes, speed, secondsLeft: null }),
      },
    );
    const manifest = await described;
    isMade = true;
    const facts = files.map((f, i) => factsOf(manifest.files[i]?.name ?? "", f));
    return { zipPath, bytes: (await stat(zipPath)).size, manifest, facts, whole, speed };
  } finally {
    old?.close();
    const spare = (isMade ? outputs.slice(0, fresh.length) : outputs).map((f) => f.path);
    const left = [...spare, ...(told?.scratch ?? []), ...(isMade ? [] : [zipPath])];
    await Promise.all(left.map((p) => rm(p, { force: true })));
  }
}

/** A file that was to go no further than an earlier package's, and still sounds there. */
const isCut = ({ measures, format }: WrittenFile): boolean =>
  measures.endDb !== null && measures.endDb > (format.depth === "16" ? DITHER_16_DB : gainToDb(tailFloor("measured")));

/** Above what a file of 16 bits always ends with: its dither, rounded, is up to two steps. */
const DITHER_16_DB = gainToDb(2.5 / 32768);

/** Of one at another rate than the plan's, nothing is known. */
const sheetFrames = (plan: ExportPlan, file: Ready | undefined): number =>
  file && file.rate === plan.rate ? file.frames : 0;

function fromEarlier(
  file: StemFile,
  before: Manifest["files"][number],
  earlier: EarlierPackage,
  old: PackageReader,
): Ready {
  const entry = old.entries.get(before.name);
  const facts = earlier.facts.find((f) => f.name === before.name);
  if (!entry || !facts) throw new Error(`the earlier package lacks "${before.name}"`);
  return {
    channels: before.channels,
    frames: before.frames,
    rate: before.rate ?? earlier.manifest.rate,
    bytes: before.bytes,
    sha256: before.sha256,
    measures: facts.measures,
    overview: new Uint8Array(Buffer.from(facts.outline, "base64")),
    packed: {
      path: earlier.path,
      start: entry.start,
      name: file.fileName,
      bytes: before.bytes,
      crc32: entry.crc32,
    },
  };
}

const changesOf = ({ changes }: Comparison, { handoff, full }: EarlierPackage, whyAll: string | null): Changes => ({
  handoff,
  // What had to be rendered again is delivered.
  full: full || whyAll !== null,
  ...changes,
  whyAll,
});

/** As many pairs as the widest screen has points. */
const OUTLINE_POINTS = 2000;

const factsOf = (name: string, { channels, frames, rate, measures, overview }: Ready): FileFactsAsMade => ({
  name,
  channels,
  frames,
  rate,
  measures,
  outline: Buffer.from(thinned(overview, OUTLINE_POINTS)).toString("base64"),
});

/**
 * Proves a package on two threads at once: one reads and measures it, the other renders everything again and holds each
 * file to that.
 */
export async function provePackage(
  order: Omit<ListenToPackageTask, "kind"> & Omit<HoldToFreshTask, "kind">,
  pool: ThreadPool,
  { signal, onProgress }: TaskOptions,
): Promise<Proof> {
  const { session, plan, zipPath, wholePath, dataRoot } = order;
  const stop = new AbortController();
  const both = AbortSignal.any([signal, stop.signal]);
  const parts = { listen: 0, hold: 0 };
  const told = (which: keyof typeof parts) => (thousandths: number) => {
    parts[which] = thousandths / 1000;
    onProgress?.(0.3 * parts.listen + 0.7 * parts.hold);
  };
  const runs = [
    pool.run<"listen to package">(
      { kind: "listen to package", zipPath, wholePath, dataRoot },
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

const stemOrder = (file: StemFile, plan: ExportPlan, stamps: Stamps): OutputOrder => ({
  tap: file.tap,
  foldMono: !file.keepsStereo && file.format !== "mp3",
  format: { rate: plan.rate, channels: 2, depth: plan.depth },
  ditherSeed: plan.dither && plan.depth !== "32f" ? seedFrom(file.fileName) : null,
  bext: stamps.bext,
  chunks: { stereo: stamps.stereo, mono: stamps.mono },
  leadFrames: plan.leadFrames,
  trims: plan.ends === "trimmed",
  ...(file.fold ? { fold: file.fold } : {}),
  ...(file.format === "wav" ? {} : { make: { as: file.format, label: stamps.label } }),
});

const wholeOutput = (tap: Tap, plan: ExportPlan, path: string, date: Date): OutputFile => ({
  tap,
  path,
  foldMono: false,
  format: { rate: plan.rate, channels: 2, depth: "32f" },
  ditherSeed: null,
  bext: bextOf("What the stems add up to", plan, { date }),
  leadFrames: plan.leadFrames,
});

/** What has become of a plan; `asked` is what the sheet says, `plan` how it was rendered. */
interface Outcome {
  readonly files: readonly { readonly file: StemFile; readonly ready: Ready; readonly key: string }[];
  readonly papers: readonly Paper[];
  readonly sessionFiles: Manifest["sessionFiles"];
  readonly frames: number;
  readonly end: number | null;
  readonly since: Changes | null;
}

function markersWithin(session: Session, plan: ExportPlan): Manifest["markers"] {
  const [from, to] = ticksOf(session, plan);
  return session.markers.filter((m) => m.tick >= from && m.tick <= to).map(({ tick, name }) => ({ tick, name }));
}

function manifestOf(
  session: Session,
  id: string,
  revision: number,
  asked: ExportPlan,
  plan: ExportPlan,
  { files, papers, sessionFiles, frames, end, since }: Outcome,
): Manifest {
  return {
    format: "stemzo-manifest",
    version: 2,
    session: { id, name: session.name, revision, rate: session.rate },
    folder: plan.folder,
    rate: plan.rate,
    depth: plan.depth,
    dither: plan.dither && plan.depth !== "32f",
    frames,
    range: { from: plan.from, to: plan.to, tail: asked.tail, end },
    ends: plan.ends,
    silence: { bars: plan.leadBars, frames: plan.leadFrames },
    timeReference: plan.timeReference,
    leadIn: session.leadIn,
    tempo: session.tempo.map((p) => ({ ...p })),
    meter: session.meter.map((p) => ({ ...p })),
    markers: markersWithin(session, plan),
    notes: session.sheet.notes,
    receiver: session.sheet.receiver,
    files: files.map(({ file: f, ready, key }) => ({
      name: f.fileName,
      title: f.title,
      role: f.role,
      format: f.format,
      ...(ready.rate === plan.rate ? {} : { rate: ready.rate }),
      fold: f.fold,
      keepsStereo: f.keepsStereo,
      sources: f.sources.map((s) => nameOf(session, s)),
      tap: f.tap.kind === "mix" ? f.tap.at : `${f.tap.at}${f.tap.returns ? " with returns" : ""}`,
      channels: ready.channels,
      frames: ready.frames,
      bytes: ready.bytes,
      sha256: ready.sha256,
      fingerprint: f.fingerprint,
      key,
    })),
    whole: plan.whole?.kind === "mix" ? plan.whole.at : null,
    since,
    sessionFiles,
    papers: papers.map(({ name, role, bytes }) => ({
      name,
      role,
      bytes: bytes.length,
      sha256: createHash("sha256").update(bytes).digest("hex"),
    })),
  };
}
