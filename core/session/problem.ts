import type { z } from "zod";

/** Something wrong with a document, an edit or a file: where it is and what is the matter, for a person to read. */
export interface Problem {
  readonly where: string;
  readonly what: string;
}

export type Checked<T> =
  { readonly ok: true; readonly value: T } | { readonly ok: false; readonly problems: readonly Problem[] };

export const refuse = (where: string, what: string): { readonly ok: false; readonly problems: readonly Problem[] } => ({
  ok: false,
  problems: [{ where, what }],
});

/** Turns a schema's complaints into problems with a path such as `tracks[2].faderDb`. */
export const schemaProblems = (error: z.ZodError, under = ""): readonly Problem[] =>
  error.issues.map((issue) => ({
    where:
      issue.path.reduce<string>(
        (path, key) => (typeof key === "number" ? `${path}[${key}]` : path ? `${path}.${String(key)}` : String(key)),
        under,
      ) || "document",
    what: issue.message,
  }));
