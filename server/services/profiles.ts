import { randomUUID } from "node:crypto";
import { asc, eq } from "drizzle-orm";
import type { SavedProfile } from "../../contract/profile";
import { profileBodySchema } from "../../core/delivery/profile-schema";
import type { ProfileBody } from "../../core/delivery/profiles";
import type { Db } from "../db/connect";
import { profiles } from "../db/schema";
import { notFound } from "../fault";

type Row = typeof profiles.$inferSelect;
const toProfile = ({ madeAt, body, ...row }: Row): SavedProfile => ({
  ...row,
  body: profileBodySchema.parse(body),
  madeAt: madeAt.toISOString(),
});

/** Every receiver's profile that was saved, by name; they belong to all sessions. */
export const listProfiles = async (db: Db): Promise<readonly SavedProfile[]> =>
  (await db.select().from(profiles).orderBy(asc(profiles.name))).map(toProfile);

export async function saveProfile(db: Db, name: string, body: ProfileBody): Promise<SavedProfile> {
  const [row] = await db.insert(profiles).values({ id: randomUUID(), name, body }).returning();
  if (!row) throw new Error("the profile was not stored");
  return toProfile(row);
}

/** Removes a profile and gives back what it was, so that it can be saved again. */
export async function deleteProfile(db: Db, id: string): Promise<SavedProfile> {
  const [row] = await db.delete(profiles).where(eq(profiles.id, id)).returning();
  if (!row) throw notFound("such profile");
  return toProfile(row);
}
