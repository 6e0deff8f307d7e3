import type { Problem } from "../core/session/problem";
import type { ServiceFault } from "../contract/job";

/** A request that cannot be carried out, in the three sentences a person needs. Nothing of it was stored. */
export class Refusal extends Error {
  override readonly name = "Refusal";
  constructor(
    readonly status: 400 | 401 | 403 | 404 | 409 | 410 | 413 | 422 | 429 | 503 | 507,
    readonly fault: ServiceFault,
  ) {
    super(fault.what);
  }
}

const UNCHANGED = "Nothing was changed.";

export const notFound = (what: string): Refusal =>
  new Refusal(404, { what: `There is no ${what}.`, kept: UNCHANGED, todo: "Check the address.", problems: [] });

export const invalid = (
  what: string,
  problems: readonly Problem[],
  todo = "Correct what is listed and send it again.",
): Refusal => new Refusal(422, { what, kept: UNCHANGED, todo, problems: [...problems] });

export const databaseAway = (): Refusal =>
  new Refusal(503, {
    what: "The database does not answer.",
    kept: "What was stored before is untouched.",
    todo: "Try again in a moment.",
    problems: [],
  });

/** Whether something failed because the disk, or the database's part of it, is full. */
export function isDiskFull(error: unknown): boolean {
  for (let at = error, depth = 0; at instanceof Error && depth < 5; at = at.cause, depth++) {
    const { code } = at as NodeJS.ErrnoException;
    // PostgreSQL, Appendix A: 53100, disk_full; POSIX: ENOSPC, EDQUOT.
    if (code === "53100" || code === "ENOSPC" || code === "EDQUOT") return true;
  }
  return false;
}

export const diskFull = (): Refusal =>
  new Refusal(507, {
    what: "The disk is full.",
    kept: "Nothing of this was stored; what was stored before is untouched.",
    todo: "Make room where Stemzo keeps its data, and try again.",
    problems: [],
  });
