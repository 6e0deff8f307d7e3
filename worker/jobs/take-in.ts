import { randomUUID } from "node:crypto";
import { rm } from "node:fs/promises";
import type { FoundMedia } from "../../core/interchange/from-timeline";
import { fromTimeline, mediaKey, sessionRateOf } from "../../core/interchange/from-timeline";
import { layOnStep } from "../../core/interchange/lay-on";
import type { MediaPair } from "../../core/interchange/pairs";
import { madeBy } from "../../core/printing/step";
import type { Asset, Session } from "../../core/session/document";
import type { Timeline } from "../../core/timeline/timeline";
import type { Connection } from "../../server/db/connect";
import { recordAudio } from "../../server/services/audio";
import { insertBundle } from "../../server/services/bundles";
import { appendStep, insertSession, readDocument } from "../../server/services/sessions";
import type { OpenedArrival, UnpackedBundle } from "../intake/look";
import type { CarryOut, JobContext } from "../job-context";
import { NothingReadable, done } from "../job-context";
import type { ImportTask, WrittenFile } from "../task";
import { TaskFailed } from "../task";

const STALL_MS = 30_000;

/** Opens what arrived: as a session of its own, or on one that is there. */
export const takeIn: CarryOut<"take in"> = async (job, request, context) => {
  const { db, store, pool, signal, report, dataRoot } = context;
  const sent = request.files.map(({ upload, path }) => ({ stored: store.uploadPath(upload), path }));
  const opened = await pool.run<"open arrival">(
    { kind: "open arrival", files: sent, candidate: request.candidate, dataRoot },
    { signal, stallMs: STALL_MS, onProgress: () => report(stage("reading the session", 0)) },
  );
  const taking = new Taking(context);
  try {
    if (opened.bundle) {
      if (request.into !== null)
        throw new NothingReadable([{ name: opened.timeline.name, why: "a bundle is opened as a session of its own" }]);
      await taking.bundle(opened.bundle);
      const id = randomUUID();
      await db.transaction(async (tx) => {
        await taking.record(tx);
        await insertSession(tx, named(opened.bundle?.session as Session, request.name), id);
        await insertBundle(tx, id, (opened.bundle as UnpackedBundle).beside);
        await done(tx, job, { kind: "take in", session: id, made: madeBy([]), missing: 0, left: [] });
      });
    } else {
      const document = request.into === null ? null : (await readDocument(db, request.into)).document;
      const timeline = request.joinPairs ? opened.timeline : apart(opened.timeline, opened.pairs);
      const rate = document?.rate ?? sessionRateOf(timeline);
      const found = await taking.media(timeline, opened, rate);
      const made = fromTimeline(timeline, found, { newId: randomUUID, rate });
      const missing = [...found.values()].filter((f) => f.isMissing).length;
      const left = opened.left.map(({ path, why }) => ({ name: path, why }));
      await db.transaction(async (tx) => {
        await taking.record(tx);
        let id = request.into;
        let put = madeBy([]);
        if (id === null) await insertSession(tx, named(made.session, request.name), (id = randomUUID()));
        else
          await appendStep(tx, id, job.id, (now) => {
            const { frame, withTempo, muted } = request;
            const step = layOnStep(now, made.session, { frame, withTempo, muted, newId: randomUUID });
            put = madeBy(step.edits);
            return step.edits.length === 0 ? null : step;
          });
        await done(tx, job, { kind: "take in", session: id, made: put, missing, left });
      });
    }
    await Promise.all(sent.map((f) => rm(f.stored, { force: true })));
  } finally {
    await taking.tidy(opened.scratch);
  }
};

const stage = (text: string, part: number) => ({ stage: text, done: part, speed: null, secondsLeft: null });

const named = (session: Session, name: string): Session =>
  name.trim() === "" ? session : { ...session, name: name.trim().slice(0, 200) };

/** A timeline whose pairs are left as the two files that they are. */
function apart(timeline: Timeline, pairs: readonly MediaPair[]): Timeline {
  const sides = new Map(pairs.map((p) => [p.id, p]));
  return {
    ...timeline,
    tracks: timeline.tracks.flatMap((track) => {
      if (!track.clips.some((c) => sides.has(c.media))) return [track];
      return (["left", "right"] as const).map((side) => ({
        ...track,
        id: `${track.id} ${side}`,
        name: `${track.name} ${side === "left" ? "L" : "R"}`,
        channels: 1 as const,
        pan: side === "left" ? -1 : 1,
        clips: track.clips.map((c) => ({ ...c, media: sides.get(c.media)?.[side] ?? c.media })),
      }));
    }),
  };
}

/** Brings the audio of what is taken in into the store. */
class Taking {
  private readonly written: {
    readonly hash: string;
    readonly file: WrittenFile;
    readonly timeReference: number | null;
  }[] = [];
  private readonly scratch: string[] = [];

  constructor(private readonly context: JobContext) {}

  /** Enters what was brought in into the database. */
  async record(tx: Connection): Promise<void> {
    for (const { hash, file, timeReference } of this.written) await recordAudio(tx, hash, { ...file, timeReference });
  }

  async tidy(more: readonly string[]): Promise<void> {
    await Promise.all([...this.scratch, ...more].map((path) => rm(path, { force: true })));
  }

  /** The files of a bundle, byte for byte. */
  async bundle({ session, beside, audio }: UnpackedBundle): Promise<void> {
    const rates = new Map(session.assets.map((a) => [a.id, a.rate]));
    const wanted = new Set([...session.assets.map((a) => a.id), ...beside.prints.map((p) => p.asset)]);
    const files = audio.filter((a) => wanted.has(a.sha256));
    for (const hash of wanted)
      if (!files.some((f) => f.sha256 === hash))
        throw new NothingReadable([{ name: `audio/${hash}.wav`, why: "the bundle lacks it" }]);
    await this.each(files, async ({ sha256, piece }) => {
      const to = this.unfinished();
      const rate = rates.get(sha256) ?? session.rate;
      const [imported] = await this.import({ kind: "import", from: piece, to, name: sha256, rate });
      if (!imported || imported.sha256 !== sha256)
        throw new NothingReadable([{ name: `audio/${sha256}.wav`, why: "its bytes are not those that its name says" }]);
    });
  }

  /** Every file, or channel of one, that a timeline plays. */
  async media(
    timeline: Timeline,
    { pieces, pairs }: OpenedArrival,
    rate: number,
  ): Promise<ReadonlyMap<string, FoundMedia>> {
    const { pool, signal } = this.context;
    const where = new Map(pieces.map((p) => [p.media, p.piece]));
    const facts = new Map(timeline.media.map((m) => [m.id, m]));
    const sides = new Map(pairs.map((p) => [p.id, p]));
    const wanted = new Map<string, { readonly media: string; readonly channel: number | null }>();
    const reach = new Map<string, number>();
    for (const { media, channel, offset, frames } of timeline.tracks.flatMap((t) => t.clips)) {
      const key = mediaKey(media, channel);
      wanted.set(key, { media, channel });
      reach.set(key, Math.max(reach.get(key) ?? 0, offset + frames));
    }
    const found = new Map<string, FoundMedia>();
    await this.each([...wanted], async ([key, { media, channel }]) => {
      const name = facts.get(media)?.name || "Audio";
      const asset = (file: Pick<WrittenFile, "sha256" | "frames" | "format">, origin: Asset["origin"]): Asset => ({
        id: file.sha256,
        name: (origin === "missing" ? (facts.get(media)?.path ?? name) : name).slice(0, 200),
        frames: file.frames,
        rate: file.format.rate,
        channels: file.format.channels,
        origin,
      });
      const pair = sides.get(media);
      const sources = (pair ? [pair.left, pair.right] : [media]).map((m) => where.get(m) ?? null);
      if (sources.every((s) => s !== null)) {
        const imported: WrittenFile[] = [];
        for (const from of sources) {
          const to = this.unfinished();
          const pick = channel === null ? {} : { pick: channel };
          imported.push(...(await this.import({ kind: "import", from, to, name, rate, ...pick }, !pair)));
        }
        const [first, second] = imported;
        if (first && (!pair || second)) {
          let file = first;
          if (pair && second) {
            const to = this.unfinished();
            file = await pool.run<"join sides">(
              { kind: "join sides", left: first.path, right: second.path, to },
              { signal },
            );
            await this.keep(file, null);
          }
          found.set(key, { asset: asset(file, "imported"), isMissing: false });
          return;
        }
      }
      const to = this.unfinished();
      const frames = Math.max(1, Math.ceil(((reach.get(key) ?? 1) * rate) / timeline.rate));
      const file = await pool.run<"stand in">(
        { kind: "stand in", name: facts.get(media)?.path ?? name, frames, rate, to },
        { signal },
      );
      await this.keep(file, null);
      found.set(key, { asset: asset(file, "missing"), isMissing: true });
    });
    return found;
  }

  private unfinished(): string {
    const path = this.context.store.unfinished();
    this.scratch.push(path);
    return path;
  }

  /** One file brought in; `keeps`: it goes into the store as it is. */
  private async import(task: ImportTask, keeps = true): Promise<readonly WrittenFile[]> {
    const { pool, signal } = this.context;
    const imported = await pool.run<"import">(task, { signal, stallMs: STALL_MS });
    this.scratch.push(...imported.map((i) => i.file.path));
    if (keeps) for (const { file, timeReference } of imported) await this.keep(file, timeReference);
    return imported.map((i) => i.file);
  }

  private async keep(file: WrittenFile, timeReference: number | null): Promise<void> {
    const hash = await this.context.store.adopt(file.path, file.sha256);
    this.written.push({ hash, file, timeReference });
  }

  /** Works on as many at once as there are threads. */
  private async each<T>(list: readonly T[], work: (item: T) => Promise<void>): Promise<void> {
    const { threads, signal, report } = this.context;
    let next = 0;
    let over = 0;
    const one = async (): Promise<void> => {
      for (let item = list[next++]; item !== undefined; item = list[next++]) {
        if (signal.aborted) throw new TaskFailed({ kind: "cancelled", message: "Taking in was cancelled." });
        await work(item);
        over++;
        report(stage(`bringing in audio, ${over} of ${list.length}`, over / list.length));
      }
    };
    const runs = await Promise.allSettled(Array.from({ length: Math.max(1, Math.min(threads, list.length)) }, one));
    const failed = runs.find((r) => r.status === "rejected");
    if (failed) throw failed.reason;
  }
}
