/** What a value of JSON looks like. */
export type Canonical = null | boolean | number | string | readonly Canonical[] | { readonly [key: string]: Canonical };

/** JSON with object keys in sorted order: equal values are equal text, whatever order they were made in. */
export function canonicalJson(value: Canonical): string {
  if (Array.isArray(value)) return `[${(value as readonly Canonical[]).map(canonicalJson).join(",")}]`;
  if (typeof value === "object" && value !== null) {
    const record = value as { readonly [key: string]: Canonical };
    return `{${Object.keys(record)
      .sort()
      .map((k) => `${JSON.stringify(k)}:${canonicalJson(record[k] ?? null)}`)
      .join(",")}}`;
  }
  return JSON.stringify(value);
}
