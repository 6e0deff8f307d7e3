/** A name as it is shown and told: what has none is called so. */
export const shownName = (named: { readonly name: string } | undefined): string => named?.name || "unnamed";
