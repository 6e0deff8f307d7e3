import { RateLimiterMemory } from "rate-limiter-flexible";
import { Refusal } from "../fault";

/**
 * How often something may be tried. By the address that a request says it comes from, which it can make up; so all
 * together are bounded as well.
 */
class Limit {
  private readonly each: RateLimiterMemory;
  private readonly all: RateLimiterMemory;

  constructor(perMinute: number) {
    this.each = new RateLimiterMemory({ points: perMinute, duration: 60 });
    this.all = new RateLimiterMemory({ points: perMinute * 10, duration: 60 });
  }

  /** Throws where it was tried too often. */
  async count(request: Request): Promise<void> {
    const from = request.headers.get("x-forwarded-for")?.split(",").at(-1)?.trim() ?? "";
    try {
      await this.each.consume(from);
      await this.all.consume("all");
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

/** Tries of the password, of passphrases, and of addresses of links that there are not. */
export const passwordTries = new Limit(10);
export const linkTries = new Limit(30);
