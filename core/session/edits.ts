import { z } from "zod";
import { checkSession } from "./check";
import type { Session } from "./document";
import {
  assetSchema,
  automationSchema,
  clipSchema,
  deviceSchema,
  markerSchema,
  phraseSchema,
  rangeSchema,
  sendSchema,
  sessionSchema,
  sheetSchema,
  stemRowSchema,
  takeSchema,
  trackSchema,
} from "./document";
import type { Checked } from "./problem";
import { refuse, schemaProblems } from "./problem";

/**
 * An edit is a plain value: add, remove, move or set one record of one collection, or set fields of the
 * session itself. Applying it yields the new session and the edit that takes it back.
 */
const collections = {
  tracks: trackSchema,
  phrases: phraseSchema,
  assets: assetSchema,
  markers: markerSchema,
  ranges: rangeSchema,
  rows: stemRowSchema,
  clips: clipSchema,
  devices: deviceSchema,
  sends: sendSchema,
  automation: automationSchema,
  takes: takeSchema,
} as const;

const collectionName = z.enum([
  "tracks",
  "phrases",
  "assets",
  "markers",
  "ranges",
  "rows",
  "clips",
  "devices",
  "sends",
  "automation",
  "takes",
]);
type CollectionName = z.infer<typeof collectionName>;

const place = {
  in: collectionName,
  /** The track that holds the record, for clips, devices, sends, automation and takes. */
  track: z.string().optional(),
};
const record = z.record(z.string(), z.unknown());

export const editSchema = z.discriminatedUnion("do", [
  z.strictObject({ do: z.literal("add"), ...place, item: record, index: z.int().min(0) }),
  z.strictObject({ do: z.literal("remove"), ...place, id: z.string() }),
  z.strictObject({ do: z.literal("move"), ...place, id: z.string(), index: z.int().min(0) }),
  z.strictObject({ do: z.literal("set"), ...place, id: z.string(), patch: record }),
  z.strictObject({ do: z.literal("set session"), patch: record }),
  z.strictObject({ do: z.literal("set sheet"), patch: record }),
]);
export type Edit = z.infer<typeof editSchema>;

/** Edits that happen, and are undone, together. */
export const stepSchema = z.strictObject({ label: z.string().max(200), edits: z.array(editSchema).min(1).max(50000) });
export type Step = z.infer<typeof stepSchema>;

interface Applied {
  readonly session: Session;
  readonly inverse: Step;
}

/**
 * Applies a whole step or nothing. The result is always a valid, consistent session; what would not be is refused
 * with the place and the reason.
 */
export function applyStep(session: Session, step: Step): Checked<Applied> {
  let current = session;
  const inverses: Edit[] = [];
  for (const [i, edit] of step.edits.entries()) {
    const result = apply(current, edit);
    if (!result.ok)
      return { ok: false, problems: result.problems.map((p) => ({ ...p, where: `edits[${i}].${p.where}` })) };
    current = result.value.session;
    inverses.unshift(result.value.inverse);
  }
  const problems = checkSession(current);
  if (problems.length > 0) return { ok: false, problems };
  return { ok: true, value: { session: current, inverse: { label: step.label, edits: inverses } } };
}

type One = { readonly session: Session; readonly inverse: Edit };

function apply(session: Session, edit: Edit): Checked<One> {
  if (edit.do === "set session") return setFields(session, edit.patch);
  if (edit.do === "set sheet") {
    const parsed = sheetSchema.omit({ rows: true }).partial().safeParse(edit.patch);
    if (!parsed.success) return { ok: false, problems: schemaProblems(parsed.error, "patch") };
    return done(
      { ...session, sheet: { ...session.sheet, ...defined(parsed.data) } },
      { do: "set sheet", patch: previous(session.sheet, edit.patch) },
    );
  }
  const list = listOf(session, edit.in, edit.track);
  if (!list) return refuse("track", `there is no track "${edit.track ?? ""}"`);
  const where = { in: edit.in, ...(edit.track === undefined ? {} : { track: edit.track }) };
  const put = (items: readonly Identified[]) => replaceList(session, edit.in, edit.track, items);

  if (edit.do === "add") {
    const parsed = collections[edit.in].safeParse(edit.item);
    if (!parsed.success) return { ok: false, problems: schemaProblems(parsed.error, "item") };
    if (edit.index > list.length) return refuse("index", `${edit.index} is beyond the ${list.length} there are`);
    return done(put(list.toSpliced(edit.index, 0, parsed.data)), { do: "remove", ...where, id: parsed.data.id });
  }
  const index = list.findIndex((item) => item.id === edit.id);
  const item = list[index];
  if (!item) return refuse("id", `there is no "${edit.id}" in ${edit.in}`);
  switch (edit.do) {
    case "remove":
      return done(put(list.toSpliced(index, 1)), { do: "add", ...where, item: { ...item }, index });
    case "move": {
      if (edit.index >= list.length) return refuse("index", `${edit.index} is beyond the ${list.length} there are`);
      return done(put(list.toSpliced(index, 1).toSpliced(edit.index, 0, item)), {
        do: "move",
        ...where,
        id: edit.id,
        index,
      });
    }
    case "set": {
      if ("id" in edit.patch && edit.patch["id"] !== item.id) return refuse("patch.id", "an id never changes");
      const parsed = collections[edit.in].safeParse(merged(item, edit.patch));
      if (!parsed.success) return { ok: false, problems: schemaProblems(parsed.error, "patch") };
      return done(put(list.with(index, parsed.data)), {
        do: "set",
        ...where,
        id: edit.id,
        patch: previous(item, edit.patch),
      });
    }
  }
}

const done = (session: Session, inverse: Edit): Checked<One> => ({ ok: true, value: { session, inverse } });

function setFields(session: Session, patch: Record<string, unknown>): Checked<One> {
  const parsed = sessionSchema
    .pick({ name: true, leadIn: true, tempo: true, meter: true })
    .partial()
    .strict()
    .safeParse(patch);
  if (!parsed.success) return { ok: false, problems: schemaProblems(parsed.error, "patch") };
  return done({ ...session, ...defined(parsed.data) }, { do: "set session", patch: previous(session, patch) });
}

type Identified = { readonly id: string };

function listOf(session: Session, name: CollectionName, trackId: string | undefined): readonly Identified[] | null {
  switch (name) {
    case "tracks":
    case "phrases":
    case "assets":
    case "markers":
    case "ranges":
      return session[name];
    case "rows":
      return session.sheet.rows;
    default:
      return session.tracks.find((t) => t.id === trackId)?.[name] ?? null;
  }
}

// The items put back have passed the collection's own schema, which the shared element type cannot express.
function replaceList(
  session: Session,
  name: CollectionName,
  trackId: string | undefined,
  items: readonly Identified[],
): Session {
  switch (name) {
    case "tracks":
    case "phrases":
    case "assets":
    case "markers":
    case "ranges":
      return { ...session, [name]: items } as Session;
    case "rows":
      return { ...session, sheet: { ...session.sheet, rows: items } } as Session;
    default:
      return {
        ...session,
        tracks: session.tracks.map((t) => (t.id === trackId ? ({ ...t, [name]: items } as typeof t) : t)),
      };
  }
}

/**
 * Device parameters merge key by key, so two people turning two knobs of one device never undo each other;
 * null takes a parameter back to its default.
 */
function merged(item: Identified, patch: Record<string, unknown>): Record<string, unknown> {
  const before = item as Record<string, unknown>;
  const params = patch["params"];
  return isRecord(params) && isRecord(before["params"])
    ? {
        ...before,
        ...patch,
        params: Object.fromEntries(Object.entries({ ...before["params"], ...params }).filter(([, v]) => v !== null)),
      }
    : { ...before, ...patch };
}

function previous(item: object, patch: Record<string, unknown>): Record<string, unknown> {
  const before = item as Record<string, unknown>;
  return Object.fromEntries(
    Object.entries(patch).map(([key, value]) => {
      const old = before[key];
      return [
        key,
        key === "params" && isRecord(value) && isRecord(old)
          ? Object.fromEntries(Object.keys(value).map((k) => [k, old[k] ?? null]))
          : old,
      ];
    }),
  );
}

const isRecord = (value: unknown): value is Record<string, unknown> =>
  typeof value === "object" && value !== null && !Array.isArray(value);

/** Drops keys that are present but undefined, which an exact optional type does not accept. */
const defined = <T extends object>(patch: T) =>
  Object.fromEntries(Object.entries(patch).filter(([, value]) => value !== undefined)) as {
    [K in keyof T]: Exclude<T[K], undefined>;
  };
