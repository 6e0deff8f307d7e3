/** What can be found by words: its label counts most, then its synonyms, then its group. */
export interface Findable {
  readonly label: string;
  readonly synonyms: readonly string[];
  readonly group: string;
}

/** Words that say nothing about what is wanted. */
const STOP = new Set(
  "a all an and are as at be by can do does for from get have how i in into is it its just let like me my now of on one or our please so some that the them there these thing things this those to up us want we what with you your".split(
    " ",
  ),
);

const FIELDS = { label: 1, synonyms: 0.8, group: 0.25 } as const;
/** How well a word of the search fits a word of a field. */
const FITS = { same: 1, stem: 0.92, beginning: 0.85, typo: 0.6 } as const;
/** What fits less of a search than this is not shown. */
const LEAST = 0.3;
/** What a word counts that fits nothing: less than any that does. */
const UNKNOWN = 0.4;
/** What fits less than this share of the best is not shown beside it. */
const BESIDE_THE_BEST = 0.6;
/** Added where the search stands in the label as it is written. */
const PHRASE = 0.5;

const wordsOf = (text: string): readonly string[] =>
  text
    .toLowerCase()
    .split(/[^\p{L}\p{N}]+/u)
    .filter(Boolean);

/** A word without its common endings, so that "freezing" is "freeze" and "splitting" is "split". */
const stemOf = (word: string): string =>
  word.length < 4 ? word : word.replace(/(ings?|ed|es|s|e)$/, "").replace(/([^aeiou])\1$/, "$1");

/** Whether two words differ by one letter that is missing, added or another. */
function isTypo(a: string, b: string): boolean {
  if (Math.abs(a.length - b.length) > 1 || Math.min(a.length, b.length) < 5) return false;
  let at = 0;
  while (at < a.length && a[at] === b[at]) at++;
  const [x, y] = [a.slice(at), b.slice(at)];
  return x.slice(1) === y.slice(1) || x === y.slice(1) || x.slice(1) === y;
}

function fit(sought: string, word: string): number {
  if (sought === word) return FITS.same;
  if (stemOf(sought) === stemOf(word)) return FITS.stem;
  if (sought.length > 1 && word.startsWith(sought)) return FITS.beginning;
  return isTypo(sought, word) ? FITS.typo : 0;
}

const best = (sought: string, words: readonly string[]): number => Math.max(0, ...words.map((w) => fit(sought, w)));

interface Indexed<T> {
  readonly item: T;
  readonly label: readonly string[];
  readonly synonyms: readonly string[];
  readonly group: readonly string[];
}

/** How well one word of a search fits an item, 0 to 1. */
const fitOf = (sought: string, { label, synonyms, group }: Indexed<unknown>): number =>
  Math.max(
    FIELDS.label * best(sought, label),
    FIELDS.synonyms * best(sought, synonyms),
    FIELDS.group * best(sought, group),
  );

/**
 * Items that answer a search, the best first; all of them for an empty one. A word that few items have counts more than
 * one that many have (inverse document frequency, Sparck Jones 1972). Equal ones keep their order.
 */
export function rank<T extends Findable>(search: string, items: readonly T[]): readonly T[] {
  const all = wordsOf(search);
  if (all.length === 0) return items;
  const meant = all.filter((w) => !STOP.has(w));
  const sought = meant.length > 0 ? meant : all;
  const index = items.map((item): Indexed<T> => ({
    item,
    label: wordsOf(item.label),
    synonyms: item.synonyms.flatMap(wordsOf),
    group: wordsOf(item.group),
  }));
  const fits = sought.map((word) => index.map((i) => fitOf(word, i)));
  const weights = fits.map((of) => {
    const count = of.filter((f) => f > FIELDS.group).length;
    return count === 0 ? UNKNOWN : Math.log(1 + items.length / (1 + count));
  });
  const whole = weights.reduce((a, b) => a + b, 0);
  const phrase = search.trim().toLowerCase();
  const scored = index
    .map(({ item, label }, i) => {
      const score = weights.reduce((sum, w, s) => sum + w * (fits[s]?.[i] ?? 0), 0) / whole;
      const isPhrase = item.label.toLowerCase().startsWith(phrase);
      const isSynonym = item.synonyms.some((s) => s.toLowerCase() === phrase);
      // Of two that fit alike the one that says less beside it.
      const brevity = 0.02 / (1 + label.length);
      return { item, score: score + brevity + (isPhrase ? PHRASE : isSynonym ? PHRASE / 2 : 0) };
    })
    .filter(({ score }) => score >= LEAST)
    .sort((a, b) => b.score - a.score);
  const least = BESIDE_THE_BEST * (scored[0]?.score ?? 0);
  return scored.filter(({ score }) => score >= least).map(({ item }) => item);
}
