/**
 * Fills in what stands in braces in a name: `{tempo}`. What is no chip stays as it is written; spaces that an empty
 * chip leaves are closed up.
 */
export const filledIn = (pattern: string, chips: Readonly<Record<string, string>>): string =>
  pattern
    .replaceAll(/\{(\w+)\}/g, (all, chip: string) => (Object.hasOwn(chips, chip) ? (chips[chip] ?? "") : all))
    .replaceAll(/\s+/g, " ")
    .trim();
