import { rm } from "node:fs/promises";
import type { FoundMedia } from "../../core/interchange/from-timeline";
import { mediaKey } from "../../core/interchange/from-timeline";
import type { Asset } from "../../core/session/document";
import { missingName } from "../../core/session/supply";
import type { Timeline } from "../../core/timeline/timeline";
import type { PieceOfFile } from "../../server/audio/file-bytes";
import type { Connection } from "../../server/db/connect";
import { recordAudio } from "../../server/services/audio";
import type { JobContext } from "../context/job-context";
import { NothingReadable } from "../context/job-context";
import type { OpenedArrival, UnpackedBundle } from "../candidates/look";
import type { ImportTask, ImportedFile } from "../import/import-file";
import type { WrittenFile } from "../files/output-file";
import { TaskFailed } from "../threads/thread-messages";
import type { TurnTask } from "../candidates/make";

/** A reader that has not come further for so long is at a loss, and is ended. */
export const STALL_MS = 30_000;

/** One medium of a timeline, or one channel of it. */
export interface Wanted {
  readonly media: string;
  readonly channel: number | null;
}

/** A medium as one file at the wanted rate, and what it was before. */
export interface Brought {
  readonly file: WrittenFile;
  readonly was: Pick<ImportedFile, "kind" | "rate" | "depth" | "timeReference">;
}

/** What is done to a file on its way in. */
export type Turn = Pick<TurnTask, "swap" | "invert" | "mono" | "drift">;

/** Brings the audio of what arrived in: as files of its own, and into the store. */
export class MediaImport {
  private readonly kept: {
    readonly hash: string;
    readonly file: WrittenFile;
    readonly timeReference: number | null;
  }[] = [];
  private readonly scratch: string[] = [];

  constructor(private readonly context: JobContext) {}

  /** Enters what was brought in into the database. */
  async record(tx: Connection): Promise<void> {
    for (const { hash, file, timeReference } of this.kept) await recordAudio(tx, hash, { ...file, timeReference });
  }

  /** What was brought in under a hash. */
  written(hash: string): WrittenFile | null {
    return this.kept.find((k) => k.hash === hash)?.file ?? null;
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
      if (!imported || imported.file.sha256 !== sha256)
        throw new NothingReadable([{ name: `audio/${sha256}.wav`, why: "its bytes are not those that its name says" }]);
      await this.keep(imported.file, imported.timeReference);
    });
  }

  /** Every file, or channel of one, that a timeline plays. `turnOf`: what is done to one on its way; null: nothing. */
  async media(
    timeline: Timeline,
    opened: OpenedArrival,
    rate: number,
    turnOf: (key: string) => Turn | null = () => null,
  ): Promise<ReadonlyMap<string, FoundMedia>> {
    const { pool, signal } = this.context;
    const facts = new Map(timeline.media.map((m) => [m.id, m]));
    const wanted = new Map<string, Wanted>();
    const reach = new Map<string, number>();
    for (const { media, channel, offset, frames } of timeline.tracks.flatMap((t) => t.clips)) {
      const key = mediaKey(media, channel);
      wanted.set(key, { media, channel });
      reach.set(key, Math.max(reach.get(key) ?? 0, offset + frames));
    }
    const found = new Map<string, FoundMedia>();
    await this.each([...wanted], async ([key, one]) => {
      const fact = facts.get(one.media);
      const name = fact?.name || "Audio";
      const asset = (file: Pick<WrittenFile, "sha256" | "frames" | "format">, origin: Asset["origin"]): Asset => ({
        id: file.sha256,
        name: origin === "missing" ? missingName(fact?.path ?? name, one.channel) : name.slice(0, 200),
        frames: file.frames,
        rate: file.format.rate,
        channels: file.format.channels,
        origin,
      });
      const brought = await this.file(one, name, opened, rate, turnOf(key));
      if (brought) {
        await this.keep(brought.file, brought.was.timeReference);
        found.set(key, { asset: asset(brought.file, "imported"), isMissing: false });
        return;
      }
      const to = this.unfinished();
      const frames = Math.max(1, Math.ceil(((reach.get(key) ?? 1) * rate) / timeline.rate));
      const file = await pool.run<"stand in">(
        {
          ...{ kind: "stand in", name: missingName(fact?.path ?? name, one.channel), frames, rate, to },
          channels: one.channel === null && (fact?.channels ?? 1) > 1 ? 2 : 1,
        },
        { signal },
      );
      await this.keep(file, null);
      found.set(key, { asset: asset(file, "missing"), isMissing: true });
    });
    return found;
  }

  /** A medium as one file, its two sides joined; null where it, or a side of it, is not there. */
  async file(
    { media, channel }: Wanted,
    name: string,
    { pieces, pairs }: Pick<OpenedArrival, "pieces" | "pairs">,
    rate: number,
    turn: Turn | null = null,
  ): Promise<Brought | null> {
    const { pool, signal } = this.context;
    const where = this.placesOf(pieces);
    const pair = pairs.find((p) => p.id === media);
    const sources = (pair ? [pair.left.id, pair.right.id] : [media]).map((m) => where.get(m) ?? null);
    const imported: ImportedFile[] = [];
    for (const from of sources) {
      if (from === null) return null;
      const pick = channel === null ? {} : { pick: channel };
      imported.push(...(await this.import({ kind: "import", from, to: this.unfinished(), name, rate, ...pick })));
    }
    const [was, second] = imported;
    if (!was || (pair && !second)) return null;
    let { file } = was;
    if (second && pair)
      file = await pool.run<"join sides">(
        { kind: "join sides", left: file.path, right: second.file.path, to: this.unfinished() },
        { signal },
      );
    if (turn && (turn.swap || turn.invert || turn.mono || turn.drift))
      file = await pool.run<"turn">(
        {
          ...{ kind: "turn", from: file.path, to: this.unfinished() },
          ...{ swap: turn.swap, invert: turn.invert, mono: turn.mono, drift: turn.drift },
        },
        { signal },
      );
    return { file, was: pair ? { ...was, timeReference: null } : was };
  }

  private places: ReadonlyMap<string, PieceOfFile | null> | null = null;

  private placesOf(pieces: OpenedArrival["pieces"]): ReadonlyMap<string, PieceOfFile | null> {
    return (this.places ??= new Map(pieces.map((p) => [p.media, p.piece])));
  }

  private unfinished(): string {
    const path = this.context.store.unfinished();
    this.scratch.push(path);
    return path;
  }

  private async import(task: ImportTask): Promise<readonly ImportedFile[]> {
    const { pool, signal } = this.context;
    const imported = await pool.run<"import">(task, { signal, stallMs: STALL_MS });
    this.scratch.push(...imported.map((i) => i.file.path));
    return imported;
  }

  private async keep(file: WrittenFile, timeReference: number | null): Promise<void> {
    const hash = await this.context.store.adopt(file.path, file.sha256);
    this.kept.push({ hash, file, timeReference });
  }

  /** Works on as many at once as there are threads. */
  async each<T>(list: readonly T[], work: (item: T) => Promise<void>): Promise<void> {
    const { threads, signal, report } = this.context;
    let next = 0;
    let over = 0;
    const one = async (): Promise<void> => {
      for (let item = list[next++]; item !== undefined; item = list[next++]) {
        if (signal.aborted) throw new TaskFailed({ kind: "cancelled", message: "The import was cancelled." });
        await work(item);
        over++;
        report({
          stage: `bringing in audio, ${over} of ${list.length}`,
          done: over / list.length,
          speed: null,
          secondsLeft: null,
        });
      }
    };
    const runs = await Promise.allSettled(Array.from({ length: Math.max(1, Math.min(threads, list.length)) }, one));
    const failed = runs.find((r) => r.status === "rejected");
    if (failed) throw failed.reason;
  }
}
