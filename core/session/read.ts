import { checkSession } from "./check";
import type { Session } from "./document";
import { sessionSchema } from "./document";
import { SESSION_VERSION } from "./version";
import type { Checked } from "./problem";
import { refuse, schemaProblems } from "./problem";

/** Steps from one document version to the next, by the version they start from. */
const migrations: Record<number, (document: Loose) => Loose> = {
  // What versions 2 to 7 added has defaults that mean what was meant without it.
  1: (document) => ({ ...document, version: 2 }),
  2: (document) => ({ ...document, version: 3 }),
  3: (document) => ({ ...document, version: 4 }),
  4: (document) => ({ ...document, version: 5 }),
  5: (document) => ({ ...document, version: 6 }),
  6: (document) => ({ ...document, version: 7 }),
};

/** A record of a document whose version has not been checked yet. */
type Loose = Record<string, unknown>;

const isLoose = (value: unknown): value is Loose =>
  typeof value === "object" && value !== null && !Array.isArray(value);

/** Reads a session document of any known version: migrated, validated, and consistent in itself; or why not. */
export function readSession(input: unknown): Checked<Session> {
  if (!isLoose(input)) return refuse("document", "is not an object");
  let document: Loose = { ...input };
  const version = document["version"];
  if (typeof version !== "number" || !Number.isInteger(version))
    return refuse("version", "is missing or not a whole number");
  if (version > SESSION_VERSION)
    return refuse("version", `${version} is newer than this program reads (${SESSION_VERSION})`);
  for (let v = version; v < SESSION_VERSION; v++) {
    const step = migrations[v];
    if (!step) return refuse("version", `${version} is not a version this program reads`);
    document = step(document);
  }
  const parsed = sessionSchema.safeParse(document);
  if (!parsed.success) return { ok: false, problems: schemaProblems(parsed.error) };
  const problems = checkSession(parsed.data);
  return problems.length === 0 ? { ok: true, value: parsed.data } : { ok: false, problems };
}
