/**
 * Number of random cases that a test tries: a part of them in the test suite, all of them in
 * `npm run truth -- --tests`, which sets `STEMZO_CASES=all`.
 *
 * @param cases All of them.
 * @param one The suite tries one case of this number.
 */
export const share = (cases: number, one = 3): number =>
  process.env["STEMZO_CASES"] === "all" ? cases : Math.ceil(cases / one);
