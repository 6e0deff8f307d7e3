import { z } from "zod";
import { addInstruments } from "./jobs/add-instruments";
import { bringBack } from "./jobs/bring-back";
import { check } from "./jobs/check";
import { differences } from "./jobs/differences";
import { exportStems } from "./jobs/export";
import { freeze } from "./jobs/freeze";
import { bringIn } from "./jobs/import";
import { judge } from "./jobs/judge";
import type { Impossible, JobKindDeclaration } from "./jobs/kind";
import { listen } from "./jobs/listen";
import { load } from "./jobs/load";
import { look } from "./jobs/look";
import { compareVersions } from "./jobs/compare-versions";
import { mend } from "./jobs/mend";
import { print } from "./jobs/print";
import { prove } from "./jobs/prove";
import { putInstrument } from "./jobs/put-instrument";
import { refresh } from "./jobs/refresh";
import { saveAudio } from "./jobs/save-audio";
import { supply } from "./jobs/supply";
import { takeIn } from "./jobs/take-in";
import type { Frozen, Session } from "../core/session/document";

/** What a render process can be asked for: every kind of job, by its name. */
export const jobKinds = {
  freeze,
  print,
  refresh,
  check,
  listen,
  export: exportStems,
  prove,
  import: bringIn,
  "bring back": bringBack,
  look,
  "take in": takeIn,
  supply,
  judge,
  mend,
  differences,
  "compare versions": compareVersions,
  "save audio": saveAudio,
  "add instruments": addInstruments,
  "put instrument": putInstrument,
  load,
} as const;

export type JobKind = keyof typeof jobKinds;
type ShapeOf<K extends JobKind, Part extends "request" | "result"> = keyof (typeof jobKinds)[K][Part] extends never
  ? unknown
  : z.infer<z.ZodObject<(typeof jobKinds)[K][Part]>>;
export type RequestOf<K extends JobKind> = Frozen<{ kind: K } & ShapeOf<K, "request">>;
export type ResultOf<K extends JobKind> = Frozen<{ kind: K } & ShapeOf<K, "result">>;
export type JobRequest = { [K in JobKind]: RequestOf<K> }[JobKind];
export type JobResult = { [K in JobKind]: ResultOf<K> }[JobKind];

const kinds = Object.keys(jobKinds) as JobKind[];
const unionOf = (part: "request" | "result") =>
  z.discriminatedUnion(
    "kind",
    kinds.map((kind) => z.strictObject({ kind: z.literal(kind), ...jobKinds[kind][part] })) as [
      z.ZodObject<{ kind: z.ZodLiteral<JobKind> }>,
    ],
  );

// The union of a list that is made by a loop has no type of its own; it is the one above.
export const jobRequestSchema = unionOf("request") as unknown as z.ZodType<JobRequest>;
export const jobResultSchema = unionOf("result") as unknown as z.ZodType<JobResult>;

/** The body of the route that asks for a kind of job. */
export const bodyOf = <K extends JobKind>(kind: K) =>
  z.strictObject(jobKinds[kind].request) as unknown as z.ZodType<ShapeOf<K, "request">>;

/** A kind's declaration without what its own request and result are. */
export const declarationOfJob = (kind: JobKind): JobKindDeclaration<z.ZodRawShape, z.ZodRawShape> => jobKinds[kind];

/** Why what is asked cannot be done with the session as it is; null where nothing speaks against it. */
export const impossible = (session: Session, request: JobRequest): Impossible | null =>
  declarationOfJob(request.kind).impossible?.(session, request) ?? null;
