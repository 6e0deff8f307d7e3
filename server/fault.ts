import type { Problem } from "../core/session/problem";
import type { ServiceFault } from "../contract/job";

/** A request that cannot be carried out, in the three sentences a person needs. Nothing of it was stored. */
export class Refusal extends Error {
  override readonly name = "Refusal";
  constructor(
    readonly status: 400 | 401 | 403 | 404 | 409 | 410 | 413 | 422 | 429,
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
