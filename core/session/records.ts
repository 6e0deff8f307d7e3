import { z } from "zod";
import { instrumentSchema } from "../instruments/instrument-schema";
import type { Frozen } from "./document";
import {
  assetSchema,
  audioClipSchema,
  automationPointSchema,
  automationSchema,
  clipSchema,
  deviceSchema,
  markerSchema,
  nestClipSchema,
  noteClipSchema,
  noteSchema,
  phraseSchema,
  rangeSchema,
  sendSchema,
  sessionSchema,
  sheetSchema,
  stemRowSchema,
  takeSchema,
  trackSchema,
} from "./document";

/** The collections of records that edits speak of, each with the schema of a whole record. */
export const records = {
  tracks: trackSchema,
  phrases: phraseSchema,
  assets: assetSchema,
  instruments: instrumentSchema,
  markers: markerSchema,
  ranges: rangeSchema,
  rows: stemRowSchema,
  clips: clipSchema,
  devices: deviceSchema,
  sends: sendSchema,
  automation: automationSchema,
  takes: takeSchema,
} as const;

export type CollectionName = keyof typeof records;
export type RecordOf<C extends CollectionName> = Frozen<z.infer<(typeof records)[C]>>;

/** Some fields of one kind of record; never its id, nor what kind it is. */
type Fields<T> = T extends unknown ? Partial<Omit<T, "id" | "kind">> : never;
/** What a `set` edit may say. A parameter that is null goes back to its default. */
export type PatchOf<C extends CollectionName> = C extends "devices"
  ? Omit<Fields<RecordOf<C>>, "params"> & { readonly params?: Readonly<Record<string, number | null>> }
  : C extends "tracks"
    ? Partial<Omit<RecordOf<C>, "id">>
    : Fields<RecordOf<C>>;

/**
 * The schema of some fields of a record. A field with a default is left out, not filled in, where a patch does not
 * name it: what was not set stays as it is.
 */
function someOf(schema: z.ZodObject, more: Record<string, z.ZodType> = {}): z.ZodType<Record<string, unknown>> {
  const bare = (field: z.ZodType) => (field instanceof z.ZodDefault ? (field.unwrap() as z.ZodType) : field);
  return z.strictObject(
    Object.fromEntries(
      Object.entries({ ...schema.shape, ...more }).map(([k, f]) => [k, bare(f as z.ZodType).optional()]),
    ),
  );
}

const clipPatches = { audio: someOf(audioClipSchema), notes: someOf(noteClipSchema), nest: someOf(nestClipSchema) };
const patches: Record<Exclude<CollectionName, "clips">, z.ZodType<Record<string, unknown>>> = {
  tracks: someOf(trackSchema),
  phrases: someOf(phraseSchema),
  assets: someOf(assetSchema),
  instruments: someOf(instrumentSchema),
  markers: someOf(markerSchema),
  ranges: someOf(rangeSchema),
  rows: someOf(stemRowSchema),
  devices: someOf(deviceSchema, { params: z.record(z.string().max(80), z.number().nullable()) }),
  sends: someOf(sendSchema),
  automation: someOf(automationSchema),
  takes: someOf(takeSchema),
};

/** The schema of a patch of a record as it is now. */
export const patchSchema = (name: CollectionName, item: object): z.ZodType<Record<string, unknown>> =>
  name === "clips" ? clipPatches[(item as RecordOf<"clips">).kind] : patches[name];

export const sessionPatchSchema = someOf(sessionSchema.pick({ name: true, leadIn: true, tempo: true, meter: true }));
export type SessionPatch = Partial<Frozen<Pick<z.infer<typeof sessionSchema>, "name" | "leadIn" | "tempo" | "meter">>>;
export const sheetPatchSchema = someOf(sheetSchema.omit({ rows: true }));
export type SheetPatch = Partial<Frozen<Omit<z.infer<typeof sheetSchema>, "rows">>>;

/** The schemas of lists of plain values; see `valueLists`. */
export const valueSchemas = {
  phrases: z.array(noteSchema).max(100000),
  automation: z.array(automationPointSchema).max(100000),
} as const;
export type ListName = keyof typeof valueSchemas;
export type ValueOf<L extends ListName> = Frozen<z.infer<(typeof valueSchemas)[L]>[number]>;
