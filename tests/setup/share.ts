/**
 * Of so many cases, those that the test suite tries: the rest of them is tried by `npm run truth -- --tests`, which
 * sets `STEMZO_CASES=all`.
 *
 * @param cases How many there are in all.
 * @param one The suite tries one in so many.
 */
export const share = (cases: number, one = 3): number =>
  process.env["STEMZO_CASES"] === "all" ? cases : Math.ceil(cases / one);
