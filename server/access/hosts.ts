import { isIP } from "node:net";

/**
 * Whether a password is asked for: always where this server listens on another address than the machine's own, and
 * there where one is set.
 */
export const isOpenToOthers = (): boolean => {
  const host = process.env["STEMZO_HOST"];
  const isOwn = host === undefined || host === "" || /^(localhost|127(\.\d+){3}|::1)$/.test(host);
  return !isOwn || isSet("STEMZO_PASSWORD") || isSet("STEMZO_PASSWORD_HASH");
};
const isSet = (name: string): boolean => (process.env[name] ?? "") !== "";

/** Whether what a proxy in front says of the request's protocol is believed. */
const trustsProxy = (): boolean => process.env["STEMZO_TRUST_PROXY"] === "1";

const isLoopback = (host: string): boolean => /^(localhost|127(\.\d{1,3}){3}|\[::1\])(:\d+)?$/.test(host);

/**
 * Whether a request was addressed to this machine as it is meant to be: another site's name that was made to point here
 * must not read anything. A server that is open to others answers to addresses, which no other site can have as its
 * name, and to the names in STEMZO_NAMES.
 */
export function isKnownHost(host: string | null): boolean {
  const named = host ?? "";
  if (isLoopback(named)) return true;
  if (!isOpenToOthers()) return false;
  const bare = named
    .replace(/:\d+$/, "")
    .replace(/^\[(.*)\]$/, "$1")
    .toLowerCase();
  const names = (process.env["STEMZO_NAMES"] ?? "").toLowerCase().split(/[\s,]+/);
  return isIP(bare) !== 0 || (bare !== "" && names.includes(bare));
}

/** Whether a request that says where it comes from comes from a page of this server. */
export function isOwnOrigin(origin: string | null, host: string | null): boolean {
  return origin === null || origin === `http://${host ?? ""}` || (trustsProxy() && origin === `https://${host ?? ""}`);
}

/** Whether the browser speaks to us, or to the proxy in front of us, in secret. */
export const isSecure = (headers: Headers): boolean =>
  trustsProxy() && headers.get("x-forwarded-proto")?.split(",")[0]?.trim() === "https";
