import { createHmac, randomBytes, scrypt, timingSafeEqual } from "node:crypto";
import { promisify } from "node:util";
import { eq, sql } from "drizzle-orm";
import { database } from "../db/connect";
import { installations } from "../db/schema";
import { databaseAway } from "../fault";

/** Cost as OWASP's Password Storage Cheat Sheet has it for scrypt; 32 MB and some tens of milliseconds a try. */
const COST = { N: 1 << 15, r: 8, p: 3, maxmem: 1 << 27 } as const;
const HASH_BYTES = 32;
const derive = promisify(scrypt) as (
  password: string,
  salt: Buffer,
  length: number,
  options: typeof COST,
) => Promise<Buffer>;

/** The same in every installation: what it is derived for, not a secret. */
const KEY_SALT = Buffer.from("stemzo: what logins are signed with");

/** `salt.hash`, both in base64url. */
export async function hashPassword(password: string): Promise<string> {
  const salt = randomBytes(16);
  const hash = await derive(password.normalize("NFC"), salt, HASH_BYTES, COST);
  return `${salt.toString("base64url")}.${hash.toString("base64url")}`;
}

/**
 * A password's hash, and a key of it that is the same whenever and wherever it is derived: logins are signed with that,
 * so that they end with the password.
 */
export async function hashLogin(password: string): Promise<string> {
  const key = await derive(password.normalize("NFC"), KEY_SALT, HASH_BYTES, COST);
  return `${await hashPassword(password)}.${key.toString("base64url")}`;
}

/** The key of a password that `hashLogin` has hashed. */
export const passwordKey = (hashed: string | undefined): string => hashed?.split(".")[2] ?? "";

export async function isPassword(password: string, hashed: string): Promise<boolean> {
  const [salt = "", hash = ""] = hashed.split(".");
  const wanted = Buffer.from(hash, "base64url");
  const found = await derive(password.normalize("NFC"), Buffer.from(salt, "base64url"), HASH_BYTES, COST);
  return wanted.length === found.length && timingSafeEqual(wanted, found);
}

const KEY_BYTES = 32;
/** Longest wait for the answer to a login. */
const WITHIN_MS = 1500;
const ONE = 1;

/** What this installation signs with, made when it is first needed; and the round of logins. */
interface Installation {
  readonly key: Buffer;
  /** Who came in in an earlier round is out: it goes up when a user signs out. */
  readonly round: number;
}

/** The same for all web servers of a database. Throws a `Refusal` where that does not answer in time. */
async function installation(): Promise<Installation> {
  const { db } = database();
  const read = async (): Promise<Installation> => {
    const [row] = await db.select().from(installations).where(eq(installations.id, ONE));
    if (!row) {
      const signingKey = randomBytes(KEY_BYTES).toString("base64url");
      // The second of two finds what the first has inserted.
      await db.insert(installations).values({ id: ONE, signingKey }).onConflictDoNothing();
      return read();
    }
    const key = Buffer.from(row.signingKey, "base64url");
    // Anybody can sign with an empty key.
    if (key.length !== KEY_BYTES)
      throw new Error("the signing key is damaged: remove its row, and everybody logs in again");
    return { key, round: row.loginRound };
  };
  let timer: NodeJS.Timeout | undefined;
  const late = new Promise<never>((_, reject) => {
    timer = setTimeout(() => reject(databaseAway()), WITHIN_MS);
  });
  return Promise.race([read(), late]).finally(() => clearTimeout(timer));
}

/** Begins another round. On the disk before this returns. */
export async function nextLoginRound(): Promise<void> {
  await installation();
  await database()
    .db.update(installations)
    .set({ loginRound: sql`${installations.loginRound} + 1` })
    .where(eq(installations.id, ONE));
}

/** What is stated, in a round of logins. */
type Statement = (round: number) => string;

/** A signed statement that holds until a time. */
export async function sign(what: Statement, until: Date): Promise<string> {
  const { key, round } = await installation();
  const text = `${what(round)}.${until.getTime()}`;
  return `${until.getTime()}.${createHmac("sha256", key).update(text).digest("base64url")}`;
}

export async function isSigned(what: Statement, token: string | undefined, now = Date.now()): Promise<boolean> {
  const [until = "", mac = ""] = (token ?? "").split(".");
  if (!/^\d{1,16}$/.test(until) || Number(until) <= now) return false;
  const { key, round } = await installation();
  const wanted = createHmac("sha256", key)
    .update(`${what(round)}.${until}`)
    .digest();
  const found = Buffer.from(mac, "base64url");
  return found.length === wanted.length && timingSafeEqual(found, wanted);
}
