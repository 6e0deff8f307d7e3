import { createHmac, randomBytes, scrypt, timingSafeEqual } from "node:crypto";
import { existsSync, linkSync, mkdirSync, readFileSync, renameSync, rmSync, writeFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { promisify } from "node:util";
import { dataRoot } from "../paths";

/** Cost as OWASP's Password Storage Cheat Sheet has it for scrypt; 32 MB and some tens of milliseconds a try. */
const COST = { N: 1 << 15, r: 8, p: 3, maxmem: 1 << 27 } as const;
const HASH_BYTES = 32;
const derive = promisify(scrypt) as (
  password: string,
  salt: Buffer,
  length: number,
  options: typeof COST,
) => Promise<Buffer>;

/** `salt.hash`, both in base64url. */
export async function hashPassword(password: string): Promise<string> {
  const salt = randomBytes(16);
  const hash = await derive(password.normalize("NFC"), salt, HASH_BYTES, COST);
  return `${salt.toString("base64url")}.${hash.toString("base64url")}`;
}

export async function isPassword(password: string, hashed: string): Promise<boolean> {
  const [salt = "", hash = ""] = hashed.split(".");
  const wanted = Buffer.from(hash, "base64url");
  const found = await derive(password.normalize("NFC"), Buffer.from(salt, "base64url"), HASH_BYTES, COST);
  return wanted.length === found.length && timingSafeEqual(wanted, found);
}

const KEY_BYTES = 32;
let key: Buffer | null = null;

/** Puts a new key in its place, whole or not at all. Whoever comes second finds what the first has put there. */
function makeKey(path: string): void {
  mkdirSync(dirname(path), { recursive: true });
  const unfinished = `${path}.${randomBytes(8).toString("hex")}`;
  writeFileSync(unfinished, randomBytes(KEY_BYTES), { mode: 0o600, flush: true });
  try {
    linkSync(unfinished, path);
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== "EEXIST") throw error;
  } finally {
    rmSync(unfinished, { force: true });
  }
}

/** The key that this installation signs with, made when it is first needed. Without its file everybody is out. */
function signingKey(): Buffer {
  const path = join(dataRoot(), "signing-key");
  if (key === null) {
    if (!existsSync(path)) makeKey(path);
    const found = readFileSync(path);
    // Anybody can sign with an empty key.
    if (found.length !== KEY_BYTES) throw new Error(`${path} is damaged: remove it, and everybody logs in again`);
    key = found;
  }
  return key;
}

const roundPath = (): string => join(dataRoot(), "login-round");

/** Who came in in an earlier round is out: a number that goes up when somebody signs out. */
export function loginRound(): number {
  try {
    return Number(readFileSync(roundPath(), "utf8")) || 0;
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === "ENOENT") return 0;
    throw error;
  }
}

/** Begins another round. On the disk before this returns. */
export function nextLoginRound(): void {
  const unfinished = `${roundPath()}.${randomBytes(8).toString("hex")}`;
  writeFileSync(unfinished, String(loginRound() + 1), { mode: 0o600, flush: true });
  renameSync(unfinished, roundPath());
}

/** A statement that holds until a time, as nobody else can make it. */
export function sign(what: string, until: Date): string {
  const text = `${what}.${until.getTime()}`;
  return `${until.getTime()}.${createHmac("sha256", signingKey()).update(text).digest("base64url")}`;
}

export function isSigned(what: string, token: string | undefined, now = Date.now()): boolean {
  const [until = "", mac = ""] = (token ?? "").split(".");
  if (!/^\d{1,16}$/.test(until) || Number(until) <= now) return false;
  const wanted = createHmac("sha256", signingKey()).update(`${what}.${until}`).digest();
  const found = Buffer.from(mac, "base64url");
  return found.length === wanted.length && timingSafeEqual(found, wanted);
}
