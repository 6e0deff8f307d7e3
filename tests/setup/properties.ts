import fc from "fast-check";

/**
 * The test run draws the same examples every time, so that a commit that passed passes again; `STEMZO_SEED=random` (or
 * a number) draws others, to look for what the usual ones do not show.
 */
const asked = process.env["STEMZO_SEED"];
if (asked !== "random") fc.configureGlobal({ seed: Number(asked ?? 20_261_125) });
