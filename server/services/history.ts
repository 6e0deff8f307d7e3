import { randomUUID } from "node:crypto";
import { and, desc, eq, inArray, lt } from "drizzle-orm";
import type { History, Point } from "../../contract/history";
import type { Job } from "../../contract/job";
import type { Session } from "../../core/session/document";
import type { Db } from "../db/connect";
import { sessions, steps, versions } from "../db/schema";
import { Refusal, notFound } from "../fault";
import { requestJob } from "./jobs";
import { documentAt, readRevision } from "./sessions";
import { returnTo } from "./steps";

const BEGUN = "The session began";

/** What was done to a session, the newest first, not more than `limit`; and every point with a name. */
export async function readHistory(
  db: Db,
  id: string,
  { before, limit }: { readonly before?: number | undefined; readonly limit: number },
): Promise<History> {
  const [session] = await db.select({ madeAt: sessions.madeAt }).from(sessions).where(eq(sessions.id, id));
  if (!session) throw notFound("such session");
  const named = await db.select().from(versions).where(eq(versions.sessionId, id)).orderBy(desc(versions.revision));
  const nameOf = new Map(named.map((v) => [v.revision, v.name]));
  const columns = { revision: steps.revision, label: steps.label, how: steps.how, madeAt: steps.madeAt };
  const ofSession = eq(steps.sessionId, id);
  const rows = await db
    .select(columns)
    .from(steps)
    .where(before === undefined ? ofSession : and(ofSession, lt(steps.revision, before)))
    .orderBy(desc(steps.revision))
    .limit(limit);
  const ofVersions =
    named.length === 0
      ? []
      : await db
          .select(columns)
          .from(steps)
          .where(and(ofSession, inArray(steps.revision, [...nameOf.keys()])))
          .orderBy(desc(steps.revision));
  const point = (row: { revision: number; label: string; how: Point["how"]; madeAt: Date }): Point => ({
    revision: row.revision,
    label: row.label,
    how: row.how,
    at: row.madeAt.toISOString(),
    version: nameOf.get(row.revision) ?? null,
  });
  const begun = { revision: 0, label: BEGUN, how: "edit" as const, madeAt: session.madeAt };
  const isWhole = rows.length < limit && before !== 0;
  return {
    points: [...rows, ...(isWhole ? [begun] : [])].map(point),
    versions: [...ofVersions, ...(nameOf.has(0) ? [begun] : [])].map(point),
  };
}

/** Gives a point of the history a name, or, with none, takes it away. */
export async function nameVersion(
  db: Db,
  id: string,
  { revision, name }: { readonly revision: number; readonly name: string },
): Promise<Point> {
  const { points } = await readHistory(db, id, { before: revision + 1, limit: 1 });
  const [point] = points;
  if (point?.revision !== revision) throw notFound("such point in its history");
  if (name === "") await db.delete(versions).where(and(eq(versions.sessionId, id), eq(versions.revision, revision)));
  else
    await db
      .insert(versions)
      .values({ sessionId: id, revision, name })
      .onConflictDoUpdate({ target: [versions.sessionId, versions.revision], set: { name } });
  return { ...point, version: name === "" ? null : name };
}

/** Makes a session what it was at a point of its history, in one step that can be undone. */
export async function goBack(db: Db, id: string, revision: number): Promise<{ revision: number; label: string }> {
  const { points } = await readHistory(db, id, { before: revision + 1, limit: 1 });
  const [point] = points;
  if (point?.revision !== revision) throw notFound("such point in its history");
  const label = `Go back to ${point.version ?? `“${point.label}”`}`.slice(0, 200);
  return { revision: await returnTo(db, id, revision, label, randomUUID()), label };
}

/** Refused where one of both is no point of the history. */
export async function compareVersions(
  db: Db,
  id: string,
  { earlier, later }: { readonly earlier: number; readonly later: number },
): Promise<Job> {
  const last = await readRevision(db, id);
  if (Math.max(earlier, later) > last)
    throw new Refusal(404, {
      what: `The history of the session ends with point ${last}.`,
      kept: "Nothing was changed.",
      todo: "Choose points that are in it.",
      problems: [],
    });
  return requestJob(db, id, { kind: "compare versions", earlier, later });
}

/** The document as it was at a point; `revision` as it stands in an address. */
export async function documentOfPoint(db: Db, id: string, revision: string): Promise<Session> {
  const point = /^\d{1,9}$/.test(revision) ? Number(revision) : null;
  if (point === null || point > (await readRevision(db, id))) throw notFound("such point in its history");
  return documentAt(db, id, point);
}
