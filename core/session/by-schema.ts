import type { z } from "zod";
import type { Checked } from "./problem";
import { schemaProblems } from "./problem";
import type { RecordCheck } from "./record-check";
import type { ListName, ValueOf } from "./records";
import { patchSchema, records, sessionPatchSchema, sheetPatchSchema, valueSchemas } from "./records";
import type { Identified } from "./working-list";

function parsed<T>(schema: z.ZodType<T>, input: unknown, under: string): Checked<T> {
  const { success, data, error } = schema.safeParse(input);
  return success ? { ok: true, value: data } : { ok: false, problems: schemaProblems(error, under) };
}

/** For edits from anywhere: what they bring fits the schema of its record, or is refused. */
export const BY_SCHEMA: RecordCheck = {
  item: (collection, item) => parsed(records[collection] as z.ZodType<Identified>, item, "item"),
  patch: (collection, item, patch) => parsed(patchSchema(collection, item), patch, "patch"),
  values: (list, part, values) => parsed(valueSchemas[list] as z.ZodType<readonly ValueOf<ListName>[]>, values, part),
  session: (patch) => parsed(sessionPatchSchema, patch, "patch"),
  sheet: (patch) => parsed(sheetPatchSchema, patch, "patch"),
};
