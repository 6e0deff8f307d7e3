import { z } from "zod";
import { checkChange } from "./check";
import type { Frozen, Session } from "./document";
import { Draft } from "./draft";
import type { Checked } from "./problem";
import { refuse, schemaProblems } from "./problem";
import type {
  CollectionName,
  ListName,
  OfTrack,
  PatchOf,
  RecordOf,
  SessionPatch,
  SheetPatch,
  ValueOf,
} from "./records";
import { OF_TRACK, patchSchema, records, sessionPatchSchema, sheetPatchSchema, valueLists } from "./records";
import { replacedIn, isInOrder } from "./values";
import type { Identified } from "./working-list";

/** Where a record is: in a collection of the session, or in one that a track has of its own. */
type Place<C extends CollectionName> = C extends OfTrack
  ? { readonly in: C; readonly track: string }
  : { readonly in: C; readonly track?: undefined };

type RecordEdit<C extends CollectionName> = Place<C> &
  (
    | { readonly do: "add"; readonly item: RecordOf<C>; readonly index: number }
    | { readonly do: "remove"; readonly id: string }
    | { readonly do: "move"; readonly id: string; readonly index: number }
    | { readonly do: "set"; readonly id: string; readonly patch: PatchOf<C> }
  );
type ValueEdit<L extends ListName> = Place<L> & {
  readonly do: "replace";
  readonly id: string;
  readonly remove: readonly ValueOf<L>[];
  readonly add: readonly ValueOf<L>[];
};

/**
 * An edit is a plain value: add, remove, move or set one record of one collection, exchange notes or points in one, or
 * set fields of the session or its sheet. Applying it yields the new session and the edit that takes it back.
 */
export type Edit =
  | { [C in CollectionName]: RecordEdit<C> }[CollectionName]
  | { [L in ListName]: ValueEdit<L> }[ListName]
  | { readonly do: "set session"; readonly patch: SessionPatch }
  | { readonly do: "set sheet"; readonly patch: SheetPatch };

const place = {
  in: z.enum(Object.keys(records) as [CollectionName, ...CollectionName[]]),
  /** The track that holds the record, for clips, devices, sends, automation and takes. */
  track: z.string().optional(),
};
const fields = z.record(z.string(), z.unknown());

/**
 * The shape of an edit as it travels. What stands in an item, a patch or a list is checked where it is applied, against
 * the record it is for.
 */
const wireSchema = z.discriminatedUnion("do", [
  z.strictObject({ do: z.literal("add"), ...place, item: fields, index: z.int().min(0) }),
  z.strictObject({ do: z.literal("remove"), ...place, id: z.string() }),
  z.strictObject({ do: z.literal("move"), ...place, id: z.string(), index: z.int().min(0) }),
  z.strictObject({ do: z.literal("set"), ...place, id: z.string(), patch: fields }),
  z.strictObject({
    do: z.literal("replace"),
    in: z.enum(["phrases", "automation"]),
    track: place.track,
    id: z.string(),
    remove: z.array(fields).max(100000),
    add: z.array(fields).max(100000),
  }),
  z.strictObject({ do: z.literal("set session"), patch: fields }),
  z.strictObject({ do: z.literal("set sheet"), patch: fields }),
]);
type WireEdit = z.infer<typeof wireSchema>;
// Whatever travels is an edit; `applyStep` refuses what is not one that fits.
export const editSchema = wireSchema as unknown as z.ZodType<Edit>;

/** So many edits may be one step. */
export const MOST_EDITS = 50_000;

/** Edits that happen, and are undone, together. */
export const stepSchema = z.strictObject({
  label: z.string().max(200),
  edits: z.array(editSchema).min(1).max(MOST_EDITS),
});
export type Step = Frozen<z.infer<typeof stepSchema>>;

interface Applied {
  readonly session: Session;
  readonly inverse: Step;
}

/**
 * Applies a whole step or nothing. The result is always a valid, consistent session; what would not be is refused
 * with the place and the reason.
 */
export function applyStep(session: Session, step: Step): Checked<Applied> {
  const made = applyEdits(session, step);
  if (!made.ok) return made;
  const problems = checkChange(session, made.value.session);
  return problems.length > 0 ? { ok: false, problems } : made;
}

/** Applies a step's edits one by one; every record fits its schema then, the session as a whole is not checked yet. */
export function applyEdits(session: Session, step: Step): Checked<Applied> {
  const draft = new Draft(session);
  const inverses: Edit[] = [];
  for (const [i, edit] of step.edits.entries()) {
    const inverse = apply(draft, edit as WireEdit);
    if (!inverse.ok)
      return { ok: false, problems: inverse.problems.map((p) => ({ ...p, where: `edits[${i}].${p.where}` })) };
    inverses.push(inverse.value);
  }
  return { ok: true, value: { session: draft.session(), inverse: { label: step.label, edits: inverses.reverse() } } };
}

/** Applies one edit to a draft; gives the edit that takes it back. */
function apply(draft: Draft, edit: WireEdit): Checked<Edit> {
  if (edit.do === "set session") {
    const parsed = sessionPatchSchema.safeParse(edit.patch);
    if (!parsed.success) return { ok: false, problems: schemaProblems(parsed.error, "patch") };
    const before = draft.fields;
    draft.fields = { ...before, ...parsed.data };
    return done({ do: "set session", patch: previous(before, parsed.data) as SessionPatch });
  }
  if (edit.do === "set sheet") {
    const parsed = sheetPatchSchema.safeParse(edit.patch);
    if (!parsed.success) return { ok: false, problems: schemaProblems(parsed.error, "patch") };
    const before = draft.fields;
    draft.fields = { ...before, sheet: { ...before.sheet, ...parsed.data } };
    return done({ do: "set sheet", patch: previous(before.sheet, parsed.data) as SheetPatch });
  }
  const list = draft.list(edit.in, edit.track);
  if (!list) return refuse("track", `there is no track "${edit.track ?? ""}"`);
  const where = { in: edit.in, ...(edit.track === undefined ? {} : { track: edit.track }) };
  /** The edit that takes this one back: it is at the same place, whose type cannot be followed here. */
  const back = (inverse: object) => done({ ...inverse, ...where } as Edit);

  if (edit.do === "add") {
    const parsed = records[edit.in].safeParse(edit.item);
    if (!parsed.success) return { ok: false, problems: schemaProblems(parsed.error, "item") };
    if (edit.index > list.length) return refuse("index", `${edit.index} is beyond the ${list.length} there are`);
    list.insert(edit.index, parsed.data);
    return back({ do: "remove", id: parsed.data.id });
  }
  // A track is looked at with what is in its lists by now, where those are meant.
  if (edit.in === "tracks" && (edit.do === "remove" || (edit.do === "set" && speaksOfLists(edit.patch))))
    draft.gather(edit.id);
  const index = list.find(edit.id);
  const item = list.at(index);
  if (!item) return refuse("id", `there is no "${edit.id}" in ${edit.in}`);
  switch (edit.do) {
    case "remove":
      list.remove(index);
      return back({ do: "add", item, index });
    case "move": {
      if (edit.index >= list.length) return refuse("index", `${edit.index} is beyond the ${list.length} there are`);
      list.move(index, edit.index);
      return back({ do: "move", id: edit.id, index });
    }
    case "set": {
      for (const fixed of ["id", ...(edit.in === "clips" ? ["kind"] : [])] as const)
        if (fixed in edit.patch && edit.patch[fixed] !== (item as unknown as Record<string, unknown>)[fixed])
          return refuse(`patch.${fixed}`, fixed === "id" ? "an id never changes" : "a clip stays what it is");
      const parsed = patchSchema(edit.in, item).safeParse(edit.patch);
      if (!parsed.success) return { ok: false, problems: schemaProblems(parsed.error, "patch") };
      list.replace(index, merged(item, parsed.data));
      return back({ do: "set", id: edit.id, patch: previous(item, parsed.data) });
    }
    case "replace": {
      const { field, schema, least, most } = valueLists[edit.in];
      const remove = schema.safeParse(edit.remove);
      if (!remove.success) return { ok: false, problems: schemaProblems(remove.error, "remove") };
      const add = schema.safeParse(edit.add);
      if (!add.success) return { ok: false, problems: schemaProblems(add.error, "add") };
      const before = (item as unknown as Record<string, readonly ValueOf<ListName>[]>)[field] ?? [];
      const after = replacedIn(before, remove.data, add.data);
      if (!after) return refuse("remove", `not all of these ${field} are there any more`);
      if (after.length < least || after.length > most)
        return refuse("add", `there would be ${after.length} ${field}; ${least} to ${most} can be`);
      list.replace(index, merged(item, { [field]: after }));
      return back(
        isInOrder(before)
          ? { do: "replace", id: edit.id, remove: add.data, add: remove.data }
          : // Exactly what was there, in the order it was in.
            { do: "set", id: edit.id, patch: { [field]: before } },
      );
    }
  }
}

const done = (inverse: Edit): Checked<Edit> => ({ ok: true, value: inverse });

const speaksOfLists = (patch: Readonly<Record<string, unknown>>): boolean => OF_TRACK.some((name) => name in patch);

/**
 * Device parameters merge key by key, so two people turning two knobs of one device never undo each other;
 * null takes a parameter back to its default.
 */
function merged(item: Identified, patch: Record<string, unknown>): Identified {
  const before = item as unknown as Record<string, unknown>;
  const params = patch["params"];
  return {
    ...item,
    ...patch,
    ...(isRecord(params) && isRecord(before["params"])
      ? { params: Object.fromEntries(Object.entries({ ...before["params"], ...params }).filter(([, v]) => v !== null)) }
      : {}),
  };
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
