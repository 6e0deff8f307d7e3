import { checkSession } from "./check";
import type { Session } from "./document";
import { SESSION_VERSION, sessionSchema } from "./document";
import type { Checked } from "./problem";
import { refuse, schemaProblems } from "./problem";

/** Steps from one document version to the next, by the version they start from. */
const migrations: Record<number, (document: Record<string, unknown>) => Record<string, unknown>> = {};

/** Reads a session document of any known version: migrated, validated, and consistent in itself; or why not. */
export function readSession(input: unknown): Checked<Session> {
  if (typeof input !== "object" || input === null || Array.isArray(input)) return refuse("document", "is not an object");
  let document = { ...input } as Record<string, unknown>;
  const version = document["version"];
  if (typeof version !== "number" || !Number.isInteger(version)) return refuse("version", "is missing or not a whole number");
  if (version > SESSION_VERSION) return refuse("version", `${version} is newer than this program reads (${SESSION_VERSION})`);
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
