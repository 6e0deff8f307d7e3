import { createHash } from "node:crypto";
import { isIPv6 } from "node:net";
import { RateLimiterMemory } from "rate-limiter-flexible";
import { Refusal } from "../fault";

/** Counters of one limit. Addresses share them, so that many addresses cannot fill the memory. */
const COUNTERS = 1 << 16;

/**
 * Where a request comes from, as one of `COUNTERS` numbers. The web server writes the address of the other end of the
 * connection into this header, whatever the request says itself; behind a proxy that is trusted, the proxy does
 * (`scripts/web-requests.cjs`). Of IPv6, one network of 64 bits counts as one (RFC 6177).
 */
export function peerOf(headers: Headers): string {
  const address = headers.get("x-forwarded-for")?.split(",").at(-1)?.trim() ?? "";
  const network =
    isIPv6(address) && !address.startsWith("::ffff:") ? address.split(":").slice(0, 4).join(":") : address;
  const hash = createHash("sha256").update(network).digest();
  return String(hash.readUInt32BE() % COUNTERS);
}

/** How often something may be tried in a minute, by one peer and by all together. */
class Limit {
  private readonly each: RateLimiterMemory;
  private readonly all: RateLimiterMemory;

  constructor(perMinute: number, allPerMinute: number) {
    this.each = new RateLimiterMemory({ points: perMinute, duration: 60 });
    this.all = new RateLimiterMemory({ points: allPerMinute, duration: 60 });
  }

  /** `what`: all tries of one thing, of which there are not many. Throws where it was tried too often. */
  async count(request: Request, what = ""): Promise<void> {
    try {
      await this.each.consume(`${what}/${peerOf(request.headers)}`);
      await this.all.consume(what);
    } catch (error) {
      if (error instanceof Error) throw error;
      throw new Refusal(429, {
        what: "That was tried too often.",
        kept: "Nothing was changed.",
        todo: "Wait a minute and try again.",
        problems: [],
      });
    }
  }
}

/** Tries of the password. */
export const passwordTries = new Limit(10, 300);
/** Tries of one link's passphrase: counted for each link, so that its holder can lock no one else out. */
export const passphraseTries = new Limit(10, 60);
/** Requests for links that do not exist. */
export const linkTries = new Limit(30, 600);
