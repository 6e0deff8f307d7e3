import type { Checked } from "./problem";
import type { CollectionName, ListName, ValueOf } from "./records";
import type { Identified } from "./working-list";

export type Fields = Readonly<Record<string, unknown>>;

/** Holds what an edit brings to what its record can be, and fills in what it leaves out. */
export interface RecordCheck {
  /** A whole record of a collection. */
  item(collection: CollectionName, item: Fields): Checked<Identified>;
  /** Some fields of a record as it is now. */
  patch(collection: CollectionName, item: Identified, patch: Fields): Checked<Fields>;
  /** Values that go from, or come into, a list inside of a record. */
  values(list: ListName, part: "remove" | "add", values: readonly Fields[]): Checked<readonly ValueOf<ListName>[]>;
  session(patch: Fields): Checked<Fields>;
  sheet(patch: Fields): Checked<Fields>;
}

const ok = <T>(value: T): Checked<T> => ({ ok: true, value });

/** For edits that typed code has made: they fit, and say everything. */
export const AS_TYPED: RecordCheck = {
  item: (_, item) => ok(item as unknown as Identified),
  patch: (_, __, patch) => ok(patch),
  values: (_, __, values) => ok(values as unknown as readonly ValueOf<ListName>[]),
  session: ok,
  sheet: ok,
};
