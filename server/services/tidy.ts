import { inArray, sql } from "drizzle-orm";
import type { Survey, Tidied, TidyItem } from "../../contract/tidy";
import { reshapes } from "../../core/session/clips";
import type { KeptFile } from "../audio/files";
import type { SetAside } from "../audio/audio-files";
import type { Blobs } from "../audio/blobs";
import type { AudioStore } from "../audio/store";
import { reshapedName } from "../audio/store";
import type { Connection, Db } from "../db/connect";
import { assets, handoffs, instrumentFiles, jobs, prints } from "../db/schema";
import { knownAudio } from "./audio";

/** A row's time is that of its transaction's beginning: longer than any takes. */
const SINCE_MS = 3600 * 1000;

/** Held, shared, by processes that need every file to stay. */
export const TIDY_LOCK = 0x7d1;

const DAY_MS = 24 * 3600 * 1000;
/** How long printed audio stays in the cache when nothing refers to it. */
const AUDIO_DAYS = 7;
/** What is made again in a moment. */
const RESHAPED_DAYS = 7;
/** Files that were sent and never brought in, and files that were made to be taken away. */
const PASSING_DAYS = 1;
/** What was asked for and how it ended, where nothing refers to it. */
const JOB_DAYS = 30;

/**
 * Every hash that stands anywhere in what is kept: sessions as they are, every step of their history there and back,
 * prints, handoffs, what was asked for and is not over. A hash is 64 hexadecimal digits, and wherever one stands it
 * counts, so that no part of a document can be forgotten here. `since`: only in what has changed after that.
 */
async function referred(db: Connection, since: Date | null = null): Promise<ReadonlySet<string>> {
  const from = since ?? new Date(0);
  const { rows } = await db.execute<{ hash: string }>(sql`
    with texts(text) as (
      select document::text from sessions where changed_at >= ${from} or made_at >= ${from}
      union all select step::text || inverse::text from steps where made_at >= ${from}
      union all select asset || slip::text || fingerprint from lineage where made_at >= ${from}
      union all select coalesce(whole, '') || manifest::text from handoffs where made_at >= ${from}
      union all select request::text || coalesce(result::text, '') from jobs
        where made_at >= ${from} or status in ('waiting', 'running')
        or ended_at >= ${from}
    )
    select distinct m[1] as hash from texts, regexp_matches(text, '[0-9a-f]{64}', 'g') as m`);
  return new Set(rows.map((r) => r.hash));
}

/** What is no longer needed. Changes nothing. `now`: the time that ages count from. */
export async function planTidy(db: Db, store: AudioStore, now = new Date()): Promise<Tidied> {
  const before = (days: number) => new Date(now.getTime() - days * DAY_MS);
  const items = [
    ...(await idleAudio(db, store, before(AUDIO_DAYS))),
    ...(await idleReshaped(db, store, before(RESHAPED_DAYS))),
    ...(await idlePackages(db, store, before(PASSING_DAYS))),
    ...(await idleInstruments(db, store, before(PASSING_DAYS))),
    ...(await old(store.uploads.list(), before(PASSING_DAYS), "upload", "sent and never imported")),
    ...(await old(store.saved.list(), before(PASSING_DAYS), "saved", "made to be taken away")),
    ...(await oldJobs(db, before(JOB_DAYS))),
  ];
  return { isDone: false, bytes: items.reduce((n, i) => n + i.bytes, 0), items };
}

/**
 * Removes what a plan lists, but for what is referred to or touched since. Where it is cut off, a file that nothing
 * refers to is left among the unfinished ones, which every start empties.
 */
export async function tidy(db: Db, store: AudioStore, plan: Tidied, planned: Date): Promise<Tidied> {
  const done: TidyItem[] = [];
  const moved: SetAside[] = [];
  const of = (kind: TidyItem["kind"]) => plan.items.filter((i) => i.kind === kind);
  const names = (items: readonly TidyItem[]) => items.map((i) => i.name);
  const forgotten = db.transaction(async (tx) => {
    // Files of a bucket are looked at one by one, and the database waits that long.
    await tx.execute(sql`set local idle_in_transaction_session_timeout = 0`);
    // A backup that is under way copies what its dump speaks of.
    await tx.execute(sql`select pg_advisory_xact_lock(${TIDY_LOCK})`);
    // No transaction may begin to refer to it while this looks and removes.
    await tx.execute(sql`lock table sessions, steps, lineage, handoffs, jobs, prints in share row exclusive mode`);
    const fresh = await referred(tx, new Date(planned.getTime() - SINCE_MS));
    const audio: TidyItem[] = [];
    for (const item of of("audio")) {
      const aside = fresh.has(item.name) ? null : await store.setAside(item.name, planned);
      if (aside === null) continue;
      moved.push(aside);
      audio.push(item);
    }
    if (audio.length > 0) {
      await tx.delete(prints).where(inArray(prints.asset, names(audio)));
      await tx.delete(assets).where(inArray(assets.hash, names(audio)));
    }
    const gone = of("job");
    if (gone.length > 0) await tx.delete(jobs).where(inArray(jobs.id, names(gone)));
    done.push(...audio, ...gone);
  });
  try {
    await forgotten;
  } catch (error) {
    // The database still speaks of them, or something there refers to one after all: everything is as it was.
    for (const aside of moved) await aside.putBack();
    throw error;
  }
  for (const item of plan.items) {
    if (item.kind === "job" || item.kind === "audio") continue;
    // Added again meanwhile.
    if (item.kind === "instruments" && (await knownInstruments(db)).has(item.name)) continue;
    await blobsOf(store, item.kind).remove([item.name]);
    done.push(item);
  }
  for (const aside of moved) await aside.remove();
  await store.abandonParts(new Date(planned.getTime() - DAY_MS));
  return { isDone: true, bytes: done.reduce((n, i) => n + i.bytes, 0), items: done };
}

const blobsOf = (store: AudioStore, kind: Exclude<TidyItem["kind"], "job" | "audio">): Blobs =>
  ({
    ...{ reshaped: store.reshaped, package: store.packages, instruments: store.instruments },
    ...{ upload: store.uploads, saved: store.saved },
  })[kind];

/** Audio that nothing refers to: what only the print cache knows, and files that the database does not know at all. */
async function idleAudio(db: Db, store: AudioStore, before: Date): Promise<readonly TidyItem[]> {
  const needed = await referred(db);
  const known = new Map(
    (await db.select({ hash: assets.hash, madeAt: assets.madeAt }).from(assets)).map((a) => [a.hash, a.madeAt]),
  );
  // A bucket may have the same audio more than once.
  const all = new Map<string, KeptFile>();
  for await (const file of store.everyAudio()) {
    const other = all.get(file.name);
    const changed = other && other.changed > file.changed ? other.changed : file.changed;
    all.set(file.name, { ...file, changed, bytes: file.bytes + (other?.bytes ?? 0) });
  }
  return [...all.values()].flatMap(({ name, bytes, changed }): TidyItem[] => {
    const since = known.get(name) ?? changed;
    if (needed.has(name) || since >= before || changed >= before) return [];
    return [
      { kind: "audio", name, bytes, why: known.has(name) ? "nothing refers to it" : "the database does not know it" },
    ];
  });
}

async function idleReshaped(db: Db, store: AudioStore, before: Date): Promise<readonly TidyItem[]> {
  const { rows } = await db.execute<{ document: Parameters<typeof reshapes>[0] }>(
    sql`select document from sessions where deleted_at is null`,
  );
  const needed = new Set(rows.flatMap((r) => reshapes(r.document).map((s) => reshapedName(s))));
  const all = await old(store.reshaped.list(), before, "reshaped", "no session plays it as it is; it is made again");
  return all.filter((i) => !needed.has(i.name));
}

/** Packages without a handoff. Those of handoffs stay as long as the handoff does. */
async function idlePackages(db: Db, store: AudioStore, before: Date): Promise<readonly TidyItem[]> {
  const known = new Set((await db.select({ id: handoffs.id }).from(handoffs)).map((h) => h.id));
  const all = await old(store.packages.list(), before, "package", "it belongs to no handoff");
  return all.filter((i) => !known.has(i.name));
}

const knownInstruments = async (db: Db): Promise<ReadonlySet<string>> =>
  new Set((await db.select({ hash: instrumentFiles.hash }).from(instrumentFiles)).map((f) => f.hash));

/** Files of instruments that were put in place and never entered, as where a process was killed between. */
async function idleInstruments(db: Db, store: AudioStore, before: Date): Promise<readonly TidyItem[]> {
  const known = await knownInstruments(db);
  const all = await old(store.instruments.list(), before, "instruments", "it is not among the instruments");
  return all.filter((i) => !known.has(i.name));
}

async function oldJobs(db: Db, before: Date): Promise<readonly TidyItem[]> {
  const { rows } = await db.execute<{ id: string }>(sql`
    select id from jobs where status not in ('waiting', 'running') and ended_at < ${before}
      and id not in (select job from lineage) and id not in (select id from handoffs)`);
  return rows.map(({ id }) => ({ kind: "job", name: id, bytes: 0, why: `over for more than ${JOB_DAYS} days` }));
}

async function old(
  files: AsyncIterable<KeptFile>,
  before: Date,
  kind: TidyItem["kind"],
  why: string,
): Promise<readonly TidyItem[]> {
  const items: TidyItem[] = [];
  for await (const { name, bytes, changed } of files) if (changed < before) items.push({ kind, name, bytes, why });
  return items;
}

/** Holds the store and the database against each other; `verify`: reads every file to its end as well. */
export async function survey(db: Db, store: AudioStore, verify: boolean): Promise<Survey> {
  const known = new Set((await db.select({ hash: assets.hash }).from(assets)).map((a) => a.hash));
  const there = new Set<string>();
  let bytes = 0;
  for await (const file of store.everyAudio()) {
    there.add(file.name);
    bytes += file.bytes;
  }
  const damaged: string[] = [];
  if (verify) for (const hash of there) if (!(await store.isWhole(hash))) damaged.push(hash);
  const packages = new Set<string>();
  for await (const file of store.packages.list()) {
    packages.add(file.name);
    bytes += file.bytes;
  }
  const wanted = await db.select({ id: handoffs.id }).from(handoffs);
  // Whatever was stored meanwhile: noted first, then known; or it was an orphan, and is gone.
  const noted = await store.beingAdopted();
  const strange = [...there].filter((hash) => !known.has(hash) && !noted.has(hash));
  const knownNow = await knownAudio(db, strange);
  const unknown: string[] = [];
  for (const hash of strange) if (!knownNow.has(hash) && (await store.has(hash))) unknown.push(hash);
  return {
    lost: [...known].filter((hash) => !there.has(hash)).sort(),
    unknown: unknown.sort(),
    damaged: damaged.sort(),
    packagesLost: wanted.map((h) => h.id).filter((id) => !packages.has(id)),
    files: there.size + packages.size,
    bytes,
  };
}
