import { readdir, rename, rm, stat } from "node:fs/promises";
import { join } from "node:path";
import { inArray, sql } from "drizzle-orm";
import type { Survey, Tidied, TidyItem } from "../../contract/tidy";
import { reshapes } from "../../core/session/clips";
import type { AudioStore } from "../audio/store";
import { sha256OfFile } from "../audio/store";
import type { Connection, Db } from "../db/connect";
import { assets, handoffs, jobs, prints } from "../db/schema";
import { audioFolder, packageFolder, reshapedFolder, savedFolder, uploadFolder } from "../paths";

/** A row's time is that of its transaction's beginning: longer than any takes. */
const SINCE_MS = 3600 * 1000;

/** Held, shared, by whoever needs that no file goes. */
export const TIDY_LOCK = 0x7d1;

const DAY_MS = 24 * 3600 * 1000;
/** Printed audio is found again by what it was printed from: for so long, even where nobody refers to it. */
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

/** What nobody needs any more. Changes nothing. `now`: the time that ages count from. */
export async function planTidy(db: Db, store: AudioStore, root: string, now = new Date()): Promise<Tidied> {
  const before = (days: number) => new Date(now.getTime() - days * DAY_MS);
  const items = [
    ...(await idleAudio(db, root, before(AUDIO_DAYS))),
    ...(await idleReshaped(db, store, root, before(RESHAPED_DAYS))),
    ...(await idlePackages(db, root, before(PASSING_DAYS))),
    ...(await old(uploadFolder(root), before(PASSING_DAYS), "upload", "sent and not brought in")),
    ...(await old(savedFolder(root), before(PASSING_DAYS), "saved", "made to be taken away")),
    ...(await oldJobs(db, before(JOB_DAYS))),
  ];
  return { isDone: false, bytes: items.reduce((n, i) => n + i.bytes, 0), items };
}

/**
 * Removes what a plan lists, but for what is referred to or touched since. Where it is cut off, a file that nothing
 * refers to is left among the unfinished ones, which every start empties.
 */
export async function tidy(db: Db, store: AudioStore, root: string, plan: Tidied, planned: Date): Promise<Tidied> {
  const done: TidyItem[] = [];
  const moved: TidyItem[] = [];
  const of = (kind: TidyItem["kind"]) => plan.items.filter((i) => i.kind === kind);
  const names = (items: readonly TidyItem[]) => items.map((i) => i.name);
  const forgotten = db.transaction(async (tx) => {
    // A backup that is under way copies what its dump speaks of.
    await tx.execute(sql`select pg_advisory_xact_lock(${TIDY_LOCK})`);
    // Nobody may begin to refer to it while this looks and removes.
    await tx.execute(sql`lock table sessions, steps, lineage, handoffs, jobs, prints in share row exclusive mode`);
    const fresh = await referred(tx, new Date(planned.getTime() - SINCE_MS));
    const audio: TidyItem[] = [];
    for (const item of of("audio")) {
      if (fresh.has(item.name) || !(await aside(store, item, planned))) continue;
      moved.push(item);
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
    for (const item of moved) await rename(asidePath(store, item), store.path(item.name)).catch(() => undefined);
    throw error;
  }
  for (const item of plan.items) {
    if (item.kind === "job" || item.kind === "audio") continue;
    await rm(pathOf(root, item), { force: true });
    done.push(item);
  }
  for (const item of done) if (item.kind === "audio") await rm(asidePath(store, item), { force: true });
  return { isDone: true, bytes: done.reduce((n, i) => n + i.bytes, 0), items: done };
}

const asidePath = (store: AudioStore, { name }: TidyItem): string => join(store.unfinishedFolder, `tidied-${name}`);

/**
 * Takes a file out of its place; false where somebody has touched it since, who is about to refer to it: then it is put
 * back. Looked at behind the move, as nobody can touch it any more there.
 */
async function aside(store: AudioStore, item: TidyItem, planned: Date): Promise<boolean> {
  const [from, to] = [store.path(item.name), asidePath(store, item)];
  const moved = await rename(from, to).then(
    () => true,
    () => false,
  );
  // A file that is gone leaves a row that nothing refers to.
  if (!moved || (await stat(to)).mtime < planned) return true;
  await rename(to, from);
  return false;
}

function pathOf(root: string, { kind, name }: TidyItem): string {
  switch (kind) {
    case "reshaped":
      return join(reshapedFolder(root), name);
    case "package":
      return join(packageFolder(root), name);
    case "upload":
      return join(uploadFolder(root), name);
    case "saved":
      return join(savedFolder(root), name);
    case "audio":
    case "job":
      throw new Error(`${kind} is removed otherwise`);
  }
}

/** Audio that nothing refers to: what only the print cache knows, and files that the database does not know at all. */
async function idleAudio(db: Db, root: string, before: Date): Promise<readonly TidyItem[]> {
  const needed = await referred(db);
  const known = new Map(
    (await db.select({ hash: assets.hash, madeAt: assets.madeAt }).from(assets)).map((a) => [a.hash, a.madeAt]),
  );
  const items: TidyItem[] = [];
  const seen = new Set<string>();
  for await (const { name, path, bytes, changed } of filesOf(audioFolder(root))) {
    const [, hash] = /^([0-9a-f]{64})\.wav$/.exec(name) ?? [];
    if (hash === undefined || path !== join(audioFolder(root), hash.slice(0, 2), name)) continue;
    seen.add(hash);
    const since = known.get(hash) ?? changed;
    if (needed.has(hash) || since >= before || changed >= before) continue;
    const why = known.has(hash) ? "nothing refers to it" : "the database does not know it";
    items.push({ kind: "audio", name: hash, bytes, why });
  }
  return items;
}

async function idleReshaped(db: Db, store: AudioStore, root: string, before: Date): Promise<readonly TidyItem[]> {
  const { rows } = await db.execute<{ document: Parameters<typeof reshapes>[0] }>(
    sql`select document from sessions where deleted_at is null`,
  );
  const needed = new Set(rows.flatMap((r) => reshapes(r.document).map((s) => store.reshapedPath(s))));
  const all = await old(reshapedFolder(root), before, "reshaped", "no session plays it as it is; it is made again");
  return all.filter((i) => !needed.has(join(reshapedFolder(root), i.name)));
}

/** Packages without a handoff. Those of handoffs stay as long as the handoff does. */
async function idlePackages(db: Db, root: string, before: Date): Promise<readonly TidyItem[]> {
  const known = new Set((await db.select({ id: handoffs.id }).from(handoffs)).map((h) => `${h.id}.zip`));
  const all = await old(packageFolder(root), before, "package", "it belongs to no handoff");
  return all.filter((i) => !known.has(i.name));
}

async function oldJobs(db: Db, before: Date): Promise<readonly TidyItem[]> {
  const { rows } = await db.execute<{ id: string }>(sql`
    select id from jobs where status not in ('waiting', 'running') and ended_at < ${before}
      and id not in (select job from lineage) and id not in (select id from handoffs)`);
  return rows.map(({ id }) => ({ kind: "job", name: id, bytes: 0, why: `over for more than ${JOB_DAYS} days` }));
}

async function old(folder: string, before: Date, kind: TidyItem["kind"], why: string): Promise<readonly TidyItem[]> {
  const items: TidyItem[] = [];
  for await (const { name, bytes, changed } of filesOf(folder))
    if (changed < before) items.push({ kind, name, bytes, why });
  return items;
}

interface Found {
  readonly name: string;
  readonly path: string;
  readonly bytes: number;
  readonly changed: Date;
}

/** Every file of a folder and those in it; what goes while one looks is not there. */
async function* filesOf(folder: string): AsyncGenerator<Found> {
  for (const entry of await readdir(folder, { withFileTypes: true }).catch(() => [])) {
    const path = join(folder, entry.name);
    if (entry.isDirectory()) yield* filesOf(path);
    else {
      const found = await stat(path).catch(() => null);
      if (found) yield { name: entry.name, path, bytes: found.size, changed: found.mtime };
    }
  }
}

/** Holds the store and the database against each other; `verify`: reads every file to its end as well. */
export async function survey(db: Db, root: string, verify: boolean): Promise<Survey> {
  const known = new Set((await db.select({ hash: assets.hash }).from(assets)).map((a) => a.hash));
  const unknown: string[] = [];
  const damaged: string[] = [];
  const there = new Set<string>();
  let bytes = 0;
  for await (const file of filesOf(audioFolder(root))) {
    const hash = file.name.replace(/\.wav$/, "");
    there.add(hash);
    bytes += file.bytes;
    if (!known.has(hash)) unknown.push(hash);
    if (verify && (await sha256OfFile(file.path)) !== hash) damaged.push(hash);
  }
  const packages = new Set<string>();
  for await (const file of filesOf(packageFolder(root))) {
    packages.add(file.name);
    bytes += file.bytes;
  }
  const wanted = await db.select({ id: handoffs.id }).from(handoffs);
  return {
    lost: [...known].filter((hash) => !there.has(hash)).sort(),
    unknown: unknown.sort(),
    damaged: damaged.sort(),
    packagesLost: wanted.map((h) => h.id).filter((id) => !packages.has(`${id}.zip`)),
    files: there.size + packages.size,
    bytes,
  };
}
