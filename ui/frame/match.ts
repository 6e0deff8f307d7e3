const wordsOf = (text: string): readonly string[] =>
  text
    .toLowerCase()
    .split(/[^\p{L}\p{N}]+/u)
    .filter(Boolean);

/** How well a text answers a search, 0 to 1: begun by it, word by word, or somewhere within; 0: not at all. */
function likeness(text: string, search: string): number {
  const [whole, sought] = [text.toLowerCase(), search.trim().toLowerCase()];
  if (whole === sought) return 1;
  if (whole.startsWith(sought)) return 0.9;
  const words = wordsOf(whole);
  if (wordsOf(sought).every((s) => words.some((w) => w.startsWith(s)))) return 0.7;
  return whole.includes(sought) ? 0.5 : 0;
}

/** How well an action answers a search: its label counts most, then what else it is called, then its group. */
export function matchScore(search: string, label: string, synonyms: readonly string[], group: string): number {
  if (search.trim() === "") return 1;
  return Math.max(
    likeness(label, search),
    ...synonyms.map((s) => 0.8 * likeness(s, search)),
    0.2 * likeness(group, search),
    // Words that stand partly in the label and partly in its synonyms.
    0.3 * likeness([label, ...synonyms, group].join(" "), search),
  );
}
