import { rm, stat, writeFile } from "node:fs/promises";
import type { JobProgress } from "../../contract/job";
import { passProgress } from "../../contract/job-progress";
import type { BundleBeside } from "../../contract/bundle";
import { NamesTaken, safeName } from "../../core/delivery/naming";
import type { SessionFileFacts } from "../../core/delivery/manifest";
import { sessionEnd } from "../../core/engine/render";
import { aafPlaces } from "../../core/formats/aaf/write";
import { writeAdl } from "../../core/formats/adl/write";
import { AUDIO_FOLDER } from "../../core/formats/dawproject/facts";
import { writeMidiTimeline } from "../../core/formats/midi/timeline";
import { OTIOZ_MEDIA } from "../../core/formats/otio/facts";
import { writeOtio } from "../../core/formats/otio/write";
import { endingOf, isBeside, sessionKinds } from "../../core/interchange/kinds";
import type { Printing, SessionFilePlan } from "../../core/interchange/plan";
import { PrintPool, planSessionFile } from "../../core/interchange/plan";
import type { MediaSource, PrintFacts } from "../../core/interchange/media-library";
import { toTimeline } from "../../core/interchange/to-timeline";
import { lossPaper } from "../../core/papers/losses";
import type { Session, SessionFile } from "../../core/session/document";
import type { Loss } from "../../core/timeline/loss";
import type { Timeline, TimelineMedia } from "../../core/timeline/timeline";
import type { AudioStore } from "../../server/audio/store";
import type { PackedFile } from "../../server/packages/write";
import { TAIL_GUESS_S, orFail } from "../context/job-context";
import type { ThreadPool } from "../threads/threads";
import { together } from "../threads/threads";
import { ZipWriter } from "../../server/packages/zip";
import { writeBundle } from "../session-files/bundle";
import type { MediaFile } from "../session-files/media";
import { mediaNames } from "../session-files/timeline-file";
import { held, inShares, sha256Of, wholeFile } from "../session-files/media";
import type { OutputFile, WrittenFile } from "../files/output-file";

/** Where session files lie in a package. */
export const SESSION_FOLDER = "Session files";

export interface SessionFilesOrder {
  readonly session: Session;
  readonly id: string;
  readonly revision: number;
  readonly date: Date;
  readonly dataRoot: string;
  readonly wanted: readonly SessionFile[];
  readonly bundle: BundleBeside | null;
}

interface Work {
  readonly store: AudioStore;
  readonly pool: ThreadPool;
  readonly threads: number;
  readonly signal: AbortSignal;
  readonly report: (progress: JobProgress) => void;
}

/** Session files on disk, ready to be packed; the packer removes what they are made of. */
export interface MadeSessionFiles {
  /** Large files are hashed while they are packed. */
  readonly facts: Promise<readonly SessionFileFacts[]>;
  readonly packed: readonly PackedFile[];
  readonly scratch: readonly string[];
}

/** Writes all session files of a package: what they need is printed in one pass. Nothing is left when it fails. */
export async function makeSessionFiles(order: SessionFilesOrder, work: Work): Promise<MadeSessionFiles> {
  const maker = new SessionFileMaker(order, work);
  try {
    return await maker.make();
  } catch (error) {
    await Promise.all(maker.scratch.map((path) => rm(path, { force: true })));
    throw error;
  }
}

class SessionFileMaker {
  readonly scratch: string[] = [];
  /** Files of sound by what they are cut from, so that two session files share them. */
  private readonly cut = new Map<string, Promise<MediaFile>>();
  private readonly song: string;

  constructor(
    private readonly order: SessionFilesOrder,
    private readonly work: Work,
  ) {
    this.song = safeName(order.session.name);
  }

  async make(): Promise<MadeSessionFiles> {
    const { session, wanted } = this.order;
    const pool = new PrintPool(session);
    const plans = wanted.flatMap((how) => {
      const { carries } = sessionKinds[how.kind];
      return carries ? [{ how, plan: orFail(planSessionFile(session, carries, how, pool)) }] : [];
    });
    const written = await this.print(pool);
    const printFacts = new Map(
      pool.prints.map((p, i) => {
        const w = written[i] as WrittenFile;
        return [p.id, { from: p.from, frames: w.frames, channels: w.format.channels, sha256: w.sha256 }] as const;
      }),
    );
    const files: Made[] = [];
    for (const { how, plan } of plans) files.push(await this.writeOne(how, plan, printFacts, pool.prints, written));
    const bundled = wanted.find((how) => how.kind === "bundle");
    if (bundled) files.push(await this.bundle(bundled));
    return {
      facts: held(Promise.all(files.map((f) => f.facts))),
      packed: files.flatMap((f) => f.packed),
      scratch: this.scratch,
    };
  }

  private unfinished(): string {
    const path = this.work.store.unfinished();
    this.scratch.push(path);
    return path;
  }

  /** Everything that has to be printed, in one pass. */
  private async print(prints: PrintPool): Promise<readonly WrittenFile[]> {
    if (prints.prints.length === 0) return [];
    const { session, date, dataRoot } = this.order;
    const { pool, threads, signal, report } = this.work;
    const to = sessionEnd(session);
    const files = prints.prints.map((p): OutputFile => ({
      tap: p.tap,
      path: this.unfinished(),
      format: { rate: session.rate, channels: 2, depth: p.depth },
      // What is cut into clips again is not dithered: it nulls against what it was printed from.
      ditherSeed: null,
      foldMono: true,
      bext: bextOf(p, date),
      ...(p.to === null
        ? { trims: true }
        : { cut: { from: p.from, to: p.to, ...(p.rings ? {} : { exact: true as const }) } }),
    }));
    const began = performance.now();
    const total = to + TAIL_GUESS_S * session.rate;
    return pool.render(
      { kind: "render", session: prints.rendered, files, from: 0, to, tail: "whole", dataRoot },
      threads,
      {
        signal,
        onProgress: (frames) =>
          report(
            passProgress("printing for the session files", frames, total, session.rate, performance.now() - began),
          ),
      },
    );
  }

  private async writeOne(
    how: SessionFile,
    plan: SessionFilePlan,
    printFacts: ReadonlyMap<string, PrintFacts>,
    prints: readonly Printing[],
    written: readonly WrittenFile[],
  ): Promise<Made> {
    const exported = toTimeline(plan, printFacts);
    const media: MediaFile[] = [];
    await this.work.store.makeLocal(exported.sources.flatMap((s) => ("asset" in s.from ? [s.from.asset] : [])));
    for (const source of exported.sources) media.push(await this.mediaOf(source, prints, written, how.kind === "adl"));
    const base = `${SESSION_FOLDER}/${this.song}`;
    const name = `${base}${endingOf(how)}`;
    const beside = isBeside(how) ? `${this.song} ${how.kind} media` : null;
    const names = new NamesTaken();
    const paths = exported.timeline.media.map((m) => `${names.take(safeName(m.name))}.wav`);
    const folder = beside ?? (how.kind === "dawproject" ? AUDIO_FOLDER : how.kind === "otio" ? OTIOZ_MEDIA : null);
    const timeline: Timeline = {
      ...exported.timeline,
      media: exported.timeline.media.map((m, i): TimelineMedia => {
        const file = media[i] as MediaFile;
        return {
          ...m,
          frames: file.frames,
          channels: file.format.channels,
          sha256: file.sha256,
          timeReference: file.timeReference,
          path: folder === null ? null : `${folder}/${paths[i] ?? ""}`,
        };
      }),
    };
    const main = await this.write(how, timeline, media);
    const usedPrints = new Set(exported.sources.flatMap((s) => ("print" in s.from ? [s.from.print] : [])));
    const losses: readonly Loss[] = [...exported.losses, ...this.clipped(prints, written, usedPrints)];
    const paper = Buffer.from(lossPaper(name.slice(SESSION_FOLDER.length + 1), losses));
    const paperPath = this.unfinished();
    await writeFile(paperPath, paper);
    const besideFiles = [
      ...(beside === null
        ? []
        : media.map((m, i) => ({ name: `${SESSION_FOLDER}/${beside}/${paths[i] ?? ""}`, ...m }))),
      {
        name: `${base} ${how.kind} - what it carries.txt`,
        path: paperPath,
        bytes: paper.length,
        sha256: sha256Of(paper),
      },
    ];
    const facts = async (): Promise<SessionFileFacts> => ({
      name,
      kind: how.kind,
      how,
      bytes: main.bytes,
      sha256: await main.sha256,
      tracks: timeline.tracks.length,
      clips: timeline.tracks.reduce((n, t) => n + t.clips.length, 0),
      notes: timeline.tracks.reduce((n, t) => n + t.notes.reduce((k, c) => k + c.notes.length, 0), 0),
      beside: besideFiles.map(({ name: n, bytes, sha256 }) => ({ name: n, bytes, sha256 })),
      prints: [...printFacts].filter(([id]) => usedPrints.has(id)).map(([id, facts]) => ({ id, ...facts })),
      losses,
    });
    return {
      facts: held(facts()),
      packed: [
        { name, path: main.path, start: 0, bytes: main.bytes },
        ...besideFiles.map((f) => ({ name: f.name, path: f.path, start: 0, bytes: f.bytes })),
      ],
    };
  }

  private async bundle(how: SessionFile): Promise<Made> {
    const { session, revision, date, bundle } = this.order;
    if (!bundle) throw new Error("a bundle was asked for, and nothing is known of its session's prints");
    const { store, signal, report } = this.work;
    const path = this.unfinished();
    const bytes = await writeBundle({ session, revision, date, beside: bundle }, { store, path, signal, report });
    const name = `${SESSION_FOLDER}/${this.song}${endingOf(how)}`;
    const clips = session.tracks.flatMap((t) => t.clips);
    const hash = this.hash(path);
    const facts = async (): Promise<SessionFileFacts> => ({
      name,
      kind: how.kind,
      how,
      bytes,
      sha256: await hash,
      tracks: session.tracks.length,
      clips: clips.filter((c) => c.kind !== "notes").length,
      notes: session.phrases.reduce((n, p) => n + p.notes.length, 0),
      beside: [],
      prints: [],
      losses: [],
    });
    return {
      facts: held(facts()),
      packed: [{ name, path, start: 0, bytes }],
    };
  }

  private clipped(
    prints: readonly Printing[],
    written: readonly WrittenFile[],
    used: ReadonlySet<string>,
  ): readonly Loss[] {
    return prints.flatMap((p, i) =>
      used.has(p.id) && (written[i]?.measures.clippedSamples ?? 0) > 0
        ? [{ part: "levels above full scale", fate: "approximated", where: p.name, count: 1, detail: "" } as const]
        : [],
    );
  }

  /** The file that a timeline's media is: as it is stored, or cut from that. `broadcast`: with a bext chunk. */
  private mediaOf(
    { from, window, channel, media }: MediaSource,
    prints: readonly Printing[],
    written: readonly WrittenFile[],
    broadcast: boolean,
  ): Promise<MediaFile> {
    const { store, pool, signal } = this.work;
    const print = "print" in from ? written[prints.findIndex((p) => p.id === from.print)] : undefined;
    const key = JSON.stringify([from, window, channel, broadcast]);
    const known = this.cut.get(key);
    if (known) return known;
    const cut = async (): Promise<MediaFile> => {
      const path = "asset" in from ? await store.audioHere(from.asset) : (print?.path ?? "");
      if (window === null && channel === null) {
        const whole = await wholeFile(path, "asset" in from ? from.asset : (print?.sha256 ?? ""));
        if (!broadcast || whole.timeReference !== null) return whole;
      }
      const bext = broadcast
        ? bextOf({ name: media.name, from: media.timeReference ?? window?.from ?? 0 }, this.order.date)
        : null;
      const to = this.unfinished();
      return pool.run<"cut media">({ kind: "cut media", from: path, to, window, channel, bext }, { signal });
    };
    const made = cut();
    this.cut.set(key, made);
    return made;
  }

  private async write(
    how: SessionFile,
    timeline: Timeline,
    media: readonly MediaFile[],
  ): Promise<{ readonly path: string; readonly bytes: number; readonly sha256: Promise<string> }> {
    const { pool, signal, report } = this.work;
    const { id, revision, date } = this.order;
    const path = this.unfinished();
    const named = `${id} revision ${revision}`;
    const whole = async (bytes: Uint8Array) => {
      await writeFile(path, bytes);
      return { path, bytes: bytes.length, sha256: Promise.resolve(sha256Of(bytes)) };
    };
    const onProgress = (thousandths: number) =>
      report({ stage: "writing session files", done: thousandths / 1000, speed: null, secondsLeft: null });
    const files = media.map(({ path: from, bytes }) => ({ path: from, bytes }));
    const task = {
      ...{ kind: "write timeline" as const, timeline, media: files, to: path, name: named, date: date.getTime() },
      audio: how.audio === "beside" ? ("beside" as const) : ("inside" as const),
      folder: how.folder,
    };
    const stop = new AbortController();
    const both = { signal: AbortSignal.any([signal, stop.signal]) };
    const made = async () => ({ path, bytes: (await stat(path)).size, sha256: this.hash(path) });
    /** Puts media into the places where they are known to stand, with several threads; answers with their sums. */
    const place = (places: readonly (number | null)[], threads: number, sums: boolean) => {
      const pieces = files.flatMap((f, i) => {
        const at = places[i] ?? null;
        return at === null ? [] : [{ ...f, at }];
      });
      const done: number[] = [];
      return inShares(pieces, threads).map((share, n) =>
        pool.run<"place media">(
          { kind: "place media", to: path, pieces: share, sums },
          {
            ...both,
            onProgress: (thousandths) => {
              done[n] = thousandths;
              onProgress(done.reduce((sum, d) => sum + d, 0) / threads);
            },
          },
        ),
      );
    };
    const aaf = async () => {
      await writeFile(path, "", { flag: "wx" });
      const leavesMedia = task.audio === "inside";
      const places = leavesMedia ? aafPlaces(files.map((f) => f.bytes)) : [];
      // One thread makes what speaks of the media meanwhile.
      await together(stop, [
        pool.run<"write timeline">({ ...task, as: "aaf", leavesMedia: true }, both),
        ...place(places, 1, false),
      ]);
      return made();
    };
    const zip = async (as: "dawproject" | "otio") => {
      await writeFile(path, "", { flag: "wx" });
      const names = mediaNames(timeline);
      const places = ZipWriter.placesOf(files.map(({ bytes }, i) => ({ name: names[i] ?? "", bytes })));
      const placed = place(places, this.work.threads, true);
      await together(stop, placed);
      const sums = (await Promise.all(placed)).flat();
      await pool.run<"write timeline">({ ...task, as, sums }, { signal });
      return made();
    };
    switch (how.kind) {
      case "aaf":
        return aaf();
      case "dawproject":
        return zip(how.kind);
      case "adl":
        return whole(Buffer.from(writeAdl(timeline, named)));
      case "midi":
        return whole(writeMidiTimeline(timeline));
      case "otio":
        return how.audio === "beside" ? whole(Buffer.from(writeOtio(timeline))) : zip(how.kind);
      case "bundle":
        throw new Error("a bundle is not written through a timeline");
    }
  }

  /** By a thread, while what comes next is done. */
  private hash(path: string): Promise<string> {
    const { pool, signal } = this.work;
    return held(pool.run<"hash">({ kind: "hash", path }, { signal }));
  }
}

interface Made {
  readonly facts: Promise<SessionFileFacts>;
  readonly packed: readonly PackedFile[];
}

const bextOf = (print: Pick<Printing, "name" | "from">, date: Date): OutputFile["bext"] => ({
  description: print.name,
  originator: "Stemzo",
  originatorReference: "",
  originationDate: date.toISOString().slice(0, 10),
  originationTime: date.toISOString().slice(11, 19),
  timeReference: print.from,
  loudness: null,
});
