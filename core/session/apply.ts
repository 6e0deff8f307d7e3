import { checkChange } from "./check";
import type { OfTrack } from "./collections";
import { OF_TRACK, valueLists } from "./collections";
import type { Session } from "./document";
import { Draft } from "./draft";
import type { Checked } from "./problem";
import { refuse } from "./problem";
import type { Fields, RecordCheck } from "./record-check";
import { AS_TYPED } from "./record-check";
import type { CollectionName, ListName, PatchOf, RecordOf, SessionPatch, SheetPatch, ValueOf } from "./records";
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

/** The most edits in one step. */
export const MOST_EDITS = 50_000;

/** Edits that happen, and are undone, together. */
export interface Step {
  readonly label: string;
  readonly edits: readonly Edit[];
}

export interface Applied {
  readonly session: Session;
  /** The step with what it left out. */
  readonly step: Step;
  readonly inverse: Step;
}

/** An edit as it is worked on: what its item, patch or list holds is known to the check alone. */
type Loose =
  | ((
      | { readonly do: "add"; readonly item: Fields; readonly index: number }
      | { readonly do: "remove"; readonly id: string }
      | { readonly do: "move"; readonly id: string; readonly index: number }
      | { readonly do: "set"; readonly id: string; readonly patch: Fields }
    ) & { readonly in: CollectionName; readonly track?: string | undefined })
  | {
      readonly do: "replace";
      readonly in: ListName;
      readonly track?: string | undefined;
      readonly id: string;
      readonly remove: readonly Fields[];
      readonly add: readonly Fields[];
    }
  | { readonly do: "set session"; readonly patch: Fields }
  | { readonly do: "set sheet"; readonly patch: Fields };

interface Done {
  readonly edit: Edit;
  readonly inverse: Edit;
}

/**
 * Applies a whole step or nothing. The result is always a valid, consistent session; what would not be is refused
 * with the place and the reason.
 */
export function applyStepWith(check: RecordCheck, session: Session, step: Step): Checked<Applied> {
  const made = applyEditsWith(check, session, step);
  if (!made.ok) return made;
  const problems = checkChange(session, made.value.session);
  return problems.length > 0 ? { ok: false, problems } : made;
}

/**
 * Applies a step that typed code has made, without the schemas: a page does without them, and the server holds every
 * step to them.
 */
export const applyTyped = (session: Session, step: Step): Checked<Applied> => applyStepWith(AS_TYPED, session, step);

/** Applies a step's edits one by one; every record passes the check then, the session as a whole is not checked yet. */
export function applyEditsWith(check: RecordCheck, session: Session, step: Step): Checked<Applied> {
  const draft = new Draft(session);
  const edits: Edit[] = [];
  const inverses: Edit[] = [];
  for (const [i, edit] of step.edits.entries()) {
    const made = apply(check, draft, edit as Loose);
    if (!made.ok) return { ok: false, problems: made.problems.map((p) => ({ ...p, where: `edits[${i}].${p.where}` })) };
    edits.push(made.value.edit);
    inverses.push(made.value.inverse);
  }
  const { label } = step;
  return {
    ok: true,
    value: {
      session: draft.session(),
      step: { label, edits },
      inverse: { label, edits: inverses.reverse() },
    },
  };
}

/** Applies one edit to a draft; gives it with what it left out, and the edit that takes it back. */
function apply(check: RecordCheck, draft: Draft, edit: Loose): Checked<Done> {
  if (edit.do === "set session" || edit.do === "set sheet") {
    const isSheet = edit.do === "set sheet";
    const checked = isSheet ? check.sheet(edit.patch) : check.session(edit.patch);
    if (!checked.ok) return checked;
    const before = draft.fields;
    draft.fields = isSheet
      ? { ...before, sheet: { ...before.sheet, ...checked.value } }
      : { ...before, ...checked.value };
    const patch = previous(isSheet ? before.sheet : before, checked.value);
    return done({ do: edit.do, patch: checked.value } as Edit, { do: edit.do, patch } as Edit);
  }
  const list = draft.list(edit.in, edit.track);
  if (!list) return refuse("track", `there is no track "${edit.track ?? ""}"`);
  const where = { in: edit.in, ...(edit.track === undefined ? {} : { track: edit.track }) };
  /** An edit and the one that takes it back are at one place, whose type cannot be followed here. */
  const both = (made: object, inverse: object) => done({ ...made, ...where } as Edit, { ...inverse, ...where } as Edit);

  if (edit.do === "add") {
    const item = check.item(edit.in, edit.item);
    if (!item.ok) return item;
    if (edit.index > list.length) return refuse("index", `${edit.index} is beyond the ${list.length} there are`);
    list.insert(edit.index, item.value);
    return both({ do: "add", item: item.value, index: edit.index }, { do: "remove", id: item.value.id });
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
      return both(edit, { do: "add", item, index });
    case "move": {
      if (edit.index >= list.length) return refuse("index", `${edit.index} is beyond the ${list.length} there are`);
      list.move(index, edit.index);
      return both(edit, { do: "move", id: edit.id, index });
    }
    case "set": {
      for (const fixed of ["id", ...(edit.in === "clips" ? ["kind"] : [])] as const)
        if (fixed in edit.patch && edit.patch[fixed] !== (item as unknown as Record<string, unknown>)[fixed])
          return refuse(`patch.${fixed}`, fixed === "id" ? "an id never changes" : "a clip stays what it is");
      const patch = check.patch(edit.in, item, edit.patch);
      if (!patch.ok) return patch;
      list.replace(index, merged(item, patch.value));
      return both(
        { do: "set", id: edit.id, patch: patch.value },
        { do: "set", id: edit.id, patch: previous(item, patch.value) },
      );
    }
    case "replace": {
      const { field, least, most } = valueLists[edit.in];
      const remove = check.values(edit.in, "remove", edit.remove);
      if (!remove.ok) return remove;
      const add = check.values(edit.in, "add", edit.add);
      if (!add.ok) return add;
      const before = (item as unknown as Record<string, readonly ValueOf<ListName>[]>)[field] ?? [];
      const after = replacedIn(before, remove.value, add.value);
      if (!after) return refuse("remove", `not all of these ${field} are there any more`);
      if (after.length < least || after.length > most)
        return refuse("add", `there would be ${after.length} ${field}; ${least} to ${most} can be`);
      list.replace(index, merged(item, { [field]: after }));
      return both(
        { do: "replace", id: edit.id, remove: remove.value, add: add.value },
        isInOrder(before)
          ? { do: "replace", id: edit.id, remove: add.value, add: remove.value }
          : // Exactly what was there, in the order it was in.
            { do: "set", id: edit.id, patch: { [field]: before } },
      );
    }
  }
}

const done = (edit: Edit, inverse: Edit): Checked<Done> => ({ ok: true, value: { edit, inverse } });

const speaksOfLists = (patch: Fields): boolean => OF_TRACK.some((name) => name in patch);

/**
 * Device parameters merge key by key, so two people turning two knobs of one device never undo each other;
 * null takes a parameter back to its default.
 */
function merged(item: Identified, patch: Fields): Identified {
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

function previous(item: object, patch: Fields): Record<string, unknown> {
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
