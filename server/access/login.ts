import { Refusal } from "../fault";
import { passwordTries } from "./limits";
import { isOpenToOthers, isSecure } from "./hosts";
import { isPassword, isSigned, nextLoginRound, passwordKey, sign } from "./secrets";

const COOKIE = "stemzo-login";
const DAYS = 30;
const DAY_MS = 24 * 3600 * 1000;

/** Whether a request may see everything: on loopback every one, else one that is signed in. */
export async function isIn(headers: Headers): Promise<boolean> {
  if (!isOpenToOthers()) return true;
  const cookie = cookieOf(headers, COOKIE);
  return cookie !== undefined && isSigned(statement, cookie);
}

/** What the cookie states: that its holder came in, in this round, by the password of today. */
const statement = (round: number): string => `login ${round} ${passwordKey(process.env["STEMZO_PASSWORD_HASH"])}`;

/** Answers with the cookie that lets in. Throws where the password is wrong, or was tried too often. */
export async function login(request: Request, password: string): Promise<string> {
  await passwordTries.count(request);
  const hash = process.env["STEMZO_PASSWORD_HASH"];
  if (!hash || !(await isPassword(password, hash)))
    throw new Refusal(401, {
      what: "That is not the password.",
      kept: "Nothing was changed.",
      todo: "Try again, or ask the person who runs this Stemzo.",
      problems: [],
    });
  const until = new Date(Date.now() + DAYS * DAY_MS);
  return setCookie(request, COOKIE, await sign(statement, until), until);
}

/** Lets everybody out who is in, with whatever copies there are of their cookies; answers with an empty one. */
export async function logout(request: Request): Promise<string> {
  await nextLoginRound();
  return setCookie(request, COOKIE, "", new Date(0));
}

export const setCookie = (request: Request, name: string, value: string, until: Date): string =>
  `${name}=${value}; Path=/; Expires=${until.toUTCString()}; HttpOnly; SameSite=Strict${isSecure(request.headers) ? "; Secure" : ""}`;

export function cookieOf(headers: Headers, name: string): string | undefined {
  for (const part of (headers.get("cookie") ?? "").split(";")) {
    const at = part.indexOf("=");
    if (at > 0 && part.slice(0, at).trim() === name) return part.slice(at + 1).trim();
  }
  return undefined;
}
