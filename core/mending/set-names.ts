import { filledIn } from "../chips";
import type { Bpm } from "../units";

/** What a pattern for the names of a set can say of each file, in braces. */
export const SET_CHIPS = ["number", "name", "set", "tempo"] as const;
export type SetChip = (typeof SET_CHIPS)[number];

const LONGEST = 120;

/**
 * Names of a set's files by a pattern, one each; what comes out twice is numbered. `{name}` is a file's own name
 * without the number in front of it, where the pattern gives a number anyway. `bpm`: null where no tempo is known.
 */
export function namesByPattern(
  pattern: string,
  names: readonly string[],
  { set, bpm }: { readonly set: string; readonly bpm: Bpm | null },
): readonly string[] {
  const digits = Math.max(2, String(names.length).length);
  const isNumbered = pattern.includes("{number}");
  const said = names.map((name, i) => {
    const bare = isNumbered ? name.replace(/^\d+[\s._-]+(?=\S)/, "") : name;
    const chips: Record<SetChip, string> = {
      number: String(i + 1).padStart(digits, "0"),
      name: bare,
      set,
      tempo: bpm === null ? "" : `${Number(bpm.toFixed(2))} bpm`,
    };
    return filledIn(pattern, chips).slice(0, LONGEST) || name;
  });
  const seen = new Map<string, number>();
  return said.map((name) => {
    const n = (seen.get(name.toLowerCase()) ?? 0) + 1;
    seen.set(name.toLowerCase(), n);
    return n === 1 ? name : `${name.slice(0, LONGEST - 5)} ${n}`;
  });
}
