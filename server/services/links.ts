import { createHash, randomBytes, randomUUID } from "node:crypto";
import { and, desc, eq, inArray, sql } from "drizzle-orm";
import type { z } from "zod";
import type { Delivery, Link, newLinkBody } from "../../contract/link";
import { sayChanges } from "../../core/words/changes";
import { linkTries, passphraseTries } from "../access/limits";
import { cookieOf, setCookie } from "../access/login";
import { hashPassword, isPassword, isSigned, sign } from "../access/secrets";
import type { Served } from "./served";
import { askedOf } from "./served";
import type { Db } from "../db/connect";
import { fetches, links } from "../db/schema";
import { Refusal, notFound } from "../fault";
import { audioStore } from "./audio";
import { readHandoff } from "./handoffs";
import { sessionKinds } from "../../core/interchange/kinds";
import { log } from "../log";
import { fileOfPackage } from "./package-files";

type Row = typeof links.$inferSelect;

/** 192 bits, as an address. */
const SECRET_BYTES = 24;
const DAY_MS = 24 * 3600 * 1000;
/** Fetches that a sender is shown of one link. */
const MOST_SHOWN = 200;
/** A passphrase that was told once holds so long. */
const PASSPHRASE_MS = 12 * 3600 * 1000;
/**
 * How many times the package's bytes may be sent through a link of so many downloads: as often, and some more to listen
 * and to go on where a line broke.
 */
const SPARE_TURNS = 4;

const digest = (secret: string): string => createHash("sha256").update(secret).digest("hex");

async function toLinks(db: Db, rows: readonly Row[]): Promise<readonly Link[]> {
  const ids = rows.map((r) => r.id);
  const fetched =
    ids.length === 0
      ? []
      : await db.select().from(fetches).where(inArray(fetches.linkId, ids)).orderBy(desc(fetches.id));
  return rows.map((row) => ({
    id: row.id,
    handoff: row.handoffId,
    name: row.name,
    hasPassphrase: row.passphrase !== null,
    expiresAt: row.expiresAt.toISOString(),
    revokedAt: row.revokedAt?.toISOString() ?? null,
    mostDownloads: row.mostDownloads,
    downloads: row.downloads,
    madeAt: row.madeAt.toISOString(),
    fetches: fetched
      .filter((f) => f.linkId === row.id)
      .slice(0, MOST_SHOWN)
      .map((f) => ({ what: f.what, at: f.at.toISOString() })),
  }));
}

const one = async (db: Db, row: Row | undefined): Promise<Link> => {
  const [link] = row ? await toLinks(db, [row]) : [];
  if (!link) throw notFound("such link");
  return link;
};

/** Makes a link to one handoff. The path holds the secret, which is not kept. */
export async function makeLink(
  db: Db,
  handoffId: string,
  { name, days, passphrase, mostDownloads }: z.infer<typeof newLinkBody>,
): Promise<{ readonly link: Link; readonly path: string }> {
  await readHandoff(db, handoffId);
  const secret = randomBytes(SECRET_BYTES).toString("base64url");
  const [row] = await db
    .insert(links)
    .values({
      id: randomUUID(),
      handoffId,
      secretSha256: digest(secret),
      passphrase: passphrase === null ? null : await hashPassword(passphrase),
      name,
      expiresAt: new Date(Date.now() + days * DAY_MS),
      mostDownloads,
    })
    .returning();
  return { link: await one(db, row), path: `/r/${secret}` };
}

/** Links to a handoff, newest first. */
export async function listLinks(db: Db, handoffId: string): Promise<readonly Link[]> {
  await readHandoff(db, handoffId);
  return toLinks(db, await db.select().from(links).where(eq(links.handoffId, handoffId)).orderBy(desc(links.madeAt)));
}

/** Closes a link from now on; it stays in the list with what was fetched through it. */
export async function revokeLink(db: Db, id: string): Promise<Link> {
  const [row] = await db
    .update(links)
    .set({ revokedAt: sql`coalesce(${links.revokedAt}, now())` })
    .where(eq(links.id, id))
    .returning();
  return one(db, row);
}

const gone = (what: string): Refusal =>
  new Refusal(410, { what, kept: "Nothing was sent.", todo: "Ask the sender for a new one.", problems: [] });

/** The link of an address, while it is open. Guesses are counted. */
async function openLink(db: Db, request: Request, secret: string): Promise<Row> {
  const [row] = /^[\w-]{32}$/.test(secret)
    ? await db
        .select()
        .from(links)
        .where(eq(links.secretSha256, digest(secret)))
    : [];
  if (!row) {
    await linkTries.count(request);
    throw new Refusal(404, {
      what: "This link leads nowhere.",
      kept: "Nothing was sent.",
      todo: "Check that the whole address was copied.",
      problems: [],
    });
  }
  if (row.revokedAt) throw gone("This link was closed by its sender.");
  if (row.expiresAt.getTime() <= Date.now()) throw gone("This link has expired.");
  return row;
}

const cookieName = (id: string): string => `stemzo-link-${id}`;
const statement = (id: string) => (): string => `link ${id}`;

/** The same, once the passphrase was given, where there is one. */
async function enteredLink(db: Db, request: Request, secret: string): Promise<Row> {
  const row = await openLink(db, request, secret);
  if (row.passphrase === null || (await isSigned(statement(row.id), cookieOf(request.headers, cookieName(row.id)))))
    return row;
  throw new Refusal(401, {
    what: "The passphrase is needed here.",
    kept: "Nothing was sent.",
    todo: "Enter the passphrase that its sender told you.",
    problems: [],
  });
}

/** Checks a link's passphrase; answers with the cookie that remembers it. */
export async function enterLink(db: Db, request: Request, secret: string, passphrase: string): Promise<string> {
  const row = await openLink(db, request, secret);
  await passphraseTries.count(request, row.id);
  if (row.passphrase === null || !(await isPassword(passphrase, row.passphrase)))
    throw new Refusal(401, {
      what: "That is not the passphrase.",
      kept: "Nothing was sent.",
      todo: "Try again, or ask the sender of the link.",
      problems: [],
    });
  const until = new Date(Math.min(row.expiresAt.getTime(), Date.now() + PASSPHRASE_MS));
  return setCookie(request, cookieName(row.id), await sign(statement(row.id), until), until);
}

/** What a receiver gets to know. */
export async function readDelivery(db: Db, request: Request, secret: string): Promise<Delivery> {
  const link = await enteredLink(db, request, secret);
  const { manifest, facts, fileName, bytes, proof, madeAt } = await readHandoff(db, link.handoffId);
  return {
    song: manifest.session.name,
    receiver: manifest.receiver,
    notes: manifest.notes,
    madeAt,
    expiresAt: link.expiresAt.toISOString(),
    downloadsLeft: link.mostDownloads === null ? null : Math.max(0, link.mostDownloads - link.downloads),
    fileName,
    bytes,
    rate: manifest.rate,
    depth: manifest.depth,
    frames: manifest.frames,
    ends: manifest.ends,
    silence: { ...manifest.silence },
    from: manifest.range.from,
    songRate: manifest.session.rate,
    leadIn: manifest.leadIn,
    tempo: manifest.tempo,
    meter: manifest.meter,
    markers: manifest.markers,
    files: manifest.files.map((f) => {
      const { measures, outline = "" } = facts.find((known) => known.name === f.name) ?? {};
      const { name, title, role, format, channels, frames, sha256 } = f;
      return {
        ...{ name, title, role, format, channels, frames, sha256, outline },
        side: f.fold === "mono" ? null : f.fold,
        rate: f.rate ?? manifest.rate,
        bytes: f.bytes,
        lufs: measures?.lufs ?? null,
        truePeakDb: measures?.truePeakDb ?? null,
      };
    }),
    papers: manifest.papers.map((p) => ({ ...p })),
    sessionFiles: manifest.sessionFiles.map(({ name, kind, bytes: size, sha256, tracks, clips, notes, beside }) => ({
      ...{ name, bytes: size, sha256, tracks, clips, notes },
      kind: sessionKinds[kind].name,
      beside: beside.map((b) => ({ ...b })),
    })),
    proof: proof && { mark: proof.verdict.mark, sum: proof.verdict.sum.text },
    changes: manifest.since ? [...sayChanges(manifest.since)] : [],
  };
}

/** What is fetched through a link: the package as a whole, or a file of it. */
export type Fetched = { readonly what: "package" } | { readonly what: "file"; readonly name: string };

export interface Fetching {
  readonly file: Served;
  readonly fileName: string;
  /** To be told how many bytes went out. */
  readonly onSent: (bytes: number) => void;
}

/** Share of a file that counts as the whole: a receiver cannot avoid the count by leaving out a few bytes. */
const WHOLE = 0.99;

/**
 * The bytes that a receiver asks for. `saved`: to be kept. A download is counted when its bytes have gone out, also in
 * parts; one that breaks off counts by its part. `onSent` has to be told how many did. What is only asked about (HEAD)
 * counts nothing.
 */
export async function fetchThrough(
  db: Db,
  request: Request,
  secret: string,
  asked: Fetched,
  saved: boolean,
): Promise<Fetching> {
  const link = await enteredLink(db, request, secret);
  const handoff = await readHandoff(db, link.handoffId);
  const path = await audioStore().packages.local(link.handoffId);
  const file = await fileOfPackage(path, asked.what === "package" ? null : asked.name);
  const fileName = asked.what === "package" ? handoff.fileName : asked.name;
  const { from, to } = askedOf(request, file.size);
  const bytes = Math.max(0, to + 1 - from);
  if (request.method === "HEAD" || bytes === 0) return { file, fileName, onSent: () => undefined };
  const share = saved ? bytes / file.size : 0;
  const isWhole = share >= WHOLE;
  // Reserved before the first byte, so that what is asked for at the same time does not pass the limit together.
  const counts = isWhole ? sql`1` : sql`floor((${links.partial} + ${share}) / ${WHOLE}::float8)::int`;
  const [granted] = await db
    .update(links)
    .set({
      downloads: sql`${links.downloads} + ${counts}`,
      partial: isWhole ? links.partial : sql`${links.partial} + ${share} - ${counts} * ${WHOLE}::float8`,
      sentBytes: sql`${links.sentBytes} + ${bytes}::bigint`,
    })
    .where(
      and(
        eq(links.id, link.id),
        sql`(${links.mostDownloads} is null or (${links.downloads} + ${counts} <= ${links.mostDownloads}
          and ${links.sentBytes} <= (${links.mostDownloads} + ${SPARE_TURNS})::bigint * ${handoff.bytes}::bigint))`,
      ),
    )
    .returning({ downloads: links.downloads });
  if (!granted)
    throw new Refusal(403, {
      what: "This link was used as often as its sender allowed.",
      kept: "Nothing was sent.",
      todo: "Ask the sender for a new one.",
      problems: [],
    });
  const isCounted = isWhole || link.partial + share >= WHOLE;
  const reserved: Reserved = { fileName, bytes, share, isWhole, saved, isCounted };
  const onSent = (sent: number) =>
    void finishFetch(db, link.id, reserved, sent).catch((error: Error) =>
      log.error({ link: link.id, err: error }, "a download could not be counted"),
    );
  return { file, fileName, onSent };
}

/** What one request took of a link's limit before its first byte went out. */
interface Reserved {
  readonly fileName: string;
  readonly bytes: number;
  /** Of the file, 0 to 1; 0 where it is only heard. */
  readonly share: number;
  readonly isWhole: boolean;
  readonly saved: boolean;
  /** With it a download is complete. */
  readonly isCounted: boolean;
}

/** Gives back what was reserved and did not go out; enters a download that did. */
async function finishFetch(
  db: Db,
  id: string,
  { fileName, bytes, share, isWhole, saved, isCounted }: Reserved,
  sent: number,
): Promise<void> {
  const part = sent / bytes;
  const isDone = part >= WHOLE;
  if (!isDone)
    await db
      .update(links)
      .set({
        sentBytes: sql`greatest(0, ${links.sentBytes} - ${bytes - sent}::bigint)`,
        ...(isWhole ? { downloads: sql`greatest(0, ${links.downloads} - 1)` } : {}),
        partial: isWhole
          ? sql`${links.partial} + ${share * part}`
          : sql`greatest(0, ${links.partial} - ${share * (1 - part)})`,
      })
      .where(eq(links.id, id));
  else if (isWhole) await db.update(links).set({ partial: 0 }).where(eq(links.id, id));
  if (saved && isDone && isCounted) await db.insert(fetches).values({ linkId: id, what: fileName });
}
