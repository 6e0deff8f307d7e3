import { manifestSchema } from "../core/stems/manifest";
import { z } from "zod";
import { slipSchema } from "../core/printing/slip";
import { sessionSchema } from "../core/session/document";
import { stepSchema } from "../core/session/edits";
import { faultSchema, jobSchema } from "./job";
import { bodyOf } from "./job-kinds";
import { recipeBody, recipeSchema } from "./recipe";

/** Bodies of requests and answers, shared by the routes, the browser and the published description. */
const namedStep = z.strictObject({ id: z.string().min(1).max(64), step: stepSchema });
const storedStep = namedStep.extend({ revision: z.int() });

export const newSessionBody = z.strictObject({
  id: z
    .string()
    .regex(/^[a-z0-9-]{1,64}$/)
    .optional(),
  document: z.unknown(),
});
export const editsBody = z.strictObject({ base: z.int().min(0), steps: z.array(namedStep).min(1).max(200) });
export const importBody = z.strictObject({
  files: z
    .array(z.strictObject({ upload: z.uuid(), name: z.string().max(400) }))
    .min(1)
    .max(500),
  by: z.enum(["time reference", "frame"]).default("frame"),
  frame: z.int().min(0).default(0),
  track: z.string().nullable().default(null),
});
export const tracksBody = z.strictObject({ tracks: z.array(z.string()).min(1).max(1000) });

const loadAnswer = z.strictObject({
  revision: z.int(),
  from: z.int(),
  frames: z.int(),
  total: z.number(),
  tracks: z.record(z.string(), z.number()),
});
const sessionAnswer = z.strictObject({
  id: z.string(),
  revision: z.int(),
  document: sessionSchema,
  undo: z.string().nullable(),
  redo: z.string().nullable(),
  load: loadAnswer.nullable(),
});
const measures = z.strictObject({
  frames: z.int(),
  peakDb: z.number().nullable(),
  truePeakDb: z.number().nullable(),
  lufs: z.number().nullable(),
  rangeLu: z.number().nullable(),
  firstSound: z.int().nullable(),
  lastSound: z.int().nullable(),
  endDb: z.number().nullable(),
  clippedRuns: z.int(),
  mono: z.boolean(),
  maxMomentaryLufs: z.number().nullable().optional(),
  maxShortTermLufs: z.number().nullable().optional(),
  clippedSamples: z.int().optional(),
});
const audioAnswer = z.strictObject({
  hash: z.string(),
  rate: z.int(),
  channels: z.int(),
  depth: z.string(),
  frames: z.int(),
  bytes: z.int(),
  timeReference: z.int().nullable(),
  measures,
});
const revisionAnswer = z.strictObject({ revision: z.int() });
const behindAnswer = z.strictObject({ revision: z.int(), missing: z.array(storedStep) });
const summaryAnswer = z.array(
  z.strictObject({
    id: z.string(),
    name: z.string(),
    tracks: z.int(),
    revision: z.int(),
    changedAt: z.string(),
    deletedAt: z.string().nullable(),
  }),
);
const handoffList = z.array(
  z.strictObject({
    id: z.string(),
    revision: z.int(),
    fileName: z.string(),
    files: z.int(),
    bytes: z.int(),
    mark: z.enum(["right", "look", "wrong"]).nullable(),
    madeAt: z.string(),
  }),
);
const mark = z.enum(["right", "look", "wrong"]);
const cell = z.strictObject({ mark, text: z.string() });
const handoffAnswer = z.strictObject({
  id: z.string(),
  session: z.string(),
  revision: z.int(),
  fileName: z.string(),
  mixBefore: z.string(),
  speed: z.number(),
  madeAt: z.string(),
  manifest: manifestSchema,
  bytes: z.int(),
  proof: z
    .looseObject({
      zipBytes: z.int(),
      residual: z.looseObject({ peakDb: z.number().nullable(), rmsDb: z.number().nullable() }),
      unsummable: z.array(z.string()),
      verdict: z.strictObject({
        mark,
        checks: z.array(z.strictObject({ id: z.string(), name: z.string(), cells: z.array(cell) })),
        sum: cell,
      }),
    })
    .nullable(),
});

type Media = "application/json" | "audio/wav" | "application/zip" | "application/octet-stream" | "text/event-stream";

export interface Answer {
  readonly means: string;
  readonly media: Media;
  readonly schema?: z.ZodType;
}

export interface Operation {
  readonly method: "get" | "post";
  readonly path: string;
  readonly summary: string;
  readonly query?: Readonly<Record<string, string>>;
  readonly body?: z.ZodType | "audio/wav";
  readonly answers: Readonly<Record<number, Answer>>;
}

const json = (means: string, schema: z.ZodType): Answer => ({ means, media: "application/json", schema });
const refusals = {
  400: json("The request cannot be read", z.strictObject({ fault: faultSchema })),
  404: json("There is no such thing", z.strictObject({ fault: faultSchema })),
  422: json("What was sent is wrong; every problem is listed with its place", z.strictObject({ fault: faultSchema })),
};

/**
 * Every operation of the HTTP interface. The description at /api/openapi.json is made from this list and nothing else.
 */
export const operations: readonly Operation[] = [
  {
    method: "get",
    path: "/api/health",
    summary: "Whether web server and database are up",
    answers: { 200: json("Up", z.strictObject({ ok: z.literal(true) })) },
  },
  {
    method: "get",
    path: "/api/openapi.json",
    summary: "This description",
    answers: { 200: json("An OpenAPI 3.1 document", z.looseObject({})) },
  },
  {
    method: "get",
    path: "/api/sessions",
    summary: "All sessions, last changed first",
    answers: { 200: json("Sessions", summaryAnswer) },
  },
  {
    method: "post",
    path: "/api/sessions",
    summary: "Create a session from a document; its audio has to be uploaded before",
    body: newSessionBody,
    answers: { 201: json("Created", sessionAnswer), ...refusals },
  },
  {
    method: "get",
    path: "/api/sessions/{id}",
    summary: "A session: document, revision, load",
    answers: { 200: json("The session", sessionAnswer), ...refusals },
  },
  {
    method: "post",
    path: "/api/sessions/{id}/duplicate",
    summary: "A session of its own with the same document",
    answers: { 201: json("Created", sessionAnswer), ...refusals },
  },
  {
    method: "post",
    path: "/api/sessions/{id}/delete",
    summary: "Take a session off the list; nothing of it is lost",
    answers: { 200: json("Deleted", z.strictObject({ deleted: z.literal(true) })), ...refusals },
  },
  {
    method: "post",
    path: "/api/sessions/{id}/restore",
    summary: "Put a deleted session back on the list",
    answers: { 200: json("Back", z.strictObject({ deleted: z.literal(false) })), ...refusals },
  },
  {
    method: "get",
    path: "/api/sessions/{id}/events",
    summary: "What happens to a session, as it happens: steps, jobs, load",
    query: { after: "last revision known" },
    answers: { 200: { means: "Server-sent events `steps`, `job`, `load`", media: "text/event-stream" }, ...refusals },
  },
  {
    method: "post",
    path: "/api/sessions/{id}/edits",
    summary: "Store steps made on revision `base`, all or none",
    body: editsBody,
    answers: {
      200: json("Stored", revisionAnswer),
      409: json("Others were first: apply what is missing and send again", behindAnswer),
      ...refusals,
    },
  },
  {
    method: "post",
    path: "/api/sessions/{id}/undo",
    summary: "Take the newest step back",
    answers: { 200: json("Taken back", z.strictObject({ revision: z.int(), label: z.string() })), ...refusals },
  },
  {
    method: "post",
    path: "/api/sessions/{id}/redo",
    summary: "Bring the newest undone step forth",
    answers: { 200: json("Brought back", z.strictObject({ revision: z.int(), label: z.string() })), ...refusals },
  },
  {
    method: "post",
    path: "/api/sessions/{id}/freeze",
    summary: "Freeze tracks: one job, one pass",
    body: tracksBody,
    answers: { 202: json("A job to follow", jobSchema), ...refusals },
  },
  {
    method: "post",
    path: "/api/sessions/{id}/unfreeze",
    summary: "Let frozen tracks play their live source again",
    body: tracksBody,
    answers: { 200: json("Done", revisionAnswer), ...refusals },
  },
  {
    method: "post",
    path: "/api/sessions/{id}/commit",
    summary: "Make freezes permanent; each source stays parked beside its print",
    body: tracksBody,
    answers: { 200: json("Done", revisionAnswer), ...refusals },
  },
  {
    method: "post",
    path: "/api/sessions/{id}/prints",
    summary: "Print: render a slip and put it where it says",
    body: slipSchema,
    answers: { 202: json("A job to follow", jobSchema), ...refusals },
  },
  {
    method: "get",
    path: "/api/sessions/{id}/prints",
    summary: "Every print of a session with its lineage, newest first",
    answers: {
      200: json(
        "Prints",
        z.array(
          z.strictObject({
            id: z.string(),
            job: z.string(),
            place: z.int(),
            asset: z.string(),
            name: z.string(),
            slip: slipSchema,
            sources: z.array(z.string()),
            fingerprint: z.string(),
            revisionBefore: z.int(),
            revisionAfter: z.int(),
            checked: z.boolean(),
            residueDb: z.number().nullable(),
            madeAt: z.string(),
          }),
        ),
      ),
      ...refusals,
    },
  },
  {
    method: "post",
    path: "/api/sessions/{id}/prints/refresh",
    summary: "Print again from the sources as they are now, in place of the old prints",
    body: bodyOf("refresh"),
    answers: { 202: json("A job to follow", jobSchema), ...refusals },
  },
  {
    method: "post",
    path: "/api/sessions/{id}/prints/{print}/reopen",
    summary: "Bring a print's source back as it was, and park the print",
    answers: { 200: json("Reopened", z.strictObject({ revision: z.int(), tracks: z.array(z.string()) })), ...refusals },
  },
  {
    method: "post",
    path: "/api/sessions/{id}/prints/{print}/listen",
    summary: "Write the mix before a print, after it, and their difference, to be heard",
    answers: { 202: json("A job to follow", jobSchema), ...refusals },
  },
  {
    method: "get",
    path: "/api/sessions/{id}/prints/{print}/changes",
    summary: "What was done since a print that touched its sources",
    answers: { 200: json("Labels of steps, oldest first", z.array(z.string())), ...refusals },
  },
  {
    method: "get",
    path: "/api/recipes",
    summary: "Saved print slips, for every session",
    answers: { 200: json("Recipes", z.array(recipeSchema)) },
  },
  {
    method: "post",
    path: "/api/recipes",
    summary: "Save a print slip by name",
    body: recipeBody,
    answers: { 201: json("Saved", recipeSchema), ...refusals },
  },
  {
    method: "post",
    path: "/api/recipes/{id}/rename",
    summary: "Give a recipe another name",
    body: recipeBody.pick({ name: true }),
    answers: { 200: json("Renamed", recipeSchema), ...refusals },
  },
  {
    method: "post",
    path: "/api/recipes/{id}/delete",
    summary: "Remove a recipe; the answer holds what it was",
    answers: { 200: json("Removed", recipeSchema), ...refusals },
  },
  {
    method: "post",
    path: "/api/sessions/{id}/load",
    summary: "Measure the load of every track",
    answers: { 202: json("A job to follow", jobSchema), ...refusals },
  },
  {
    method: "post",
    path: "/api/sessions/{id}/exports",
    summary: "Export the stem sheet into one package; its proof follows as a job of its own",
    answers: { 202: json("A job to follow", jobSchema), ...refusals },
  },
  {
    method: "get",
    path: "/api/sessions/{id}/handoffs",
    summary: "Finished exports, newest first",
    answers: { 200: json("Handoffs", handoffList), ...refusals },
  },
  {
    method: "get",
    path: "/api/jobs/{id}",
    summary: "A job: status, progress, result or fault",
    answers: { 200: json("The job", jobSchema), ...refusals },
  },
  {
    method: "post",
    path: "/api/jobs/{id}/cancel",
    summary: "Ask a job to stop",
    answers: { 200: json("The job", jobSchema), ...refusals },
  },
  {
    method: "post",
    path: "/api/audio",
    summary: "Upload a WAV file",
    body: "audio/wav",
    answers: { 201: json("What the file is", audioAnswer), ...refusals },
  },
  {
    method: "post",
    path: "/api/uploads",
    summary: "Send any file of audio (WAV, AIFF, FLAC, MP3, Ogg Vorbis, Opus), to be brought into a session",
    body: "audio/wav",
    answers: {
      201: json("Kept until it is brought in", z.strictObject({ upload: z.string(), bytes: z.int() })),
      ...refusals,
    },
  },
  {
    method: "post",
    path: "/api/sessions/{id}/imports",
    summary: "Bring sent files in: converted to the session's rate, placed on tracks",
    body: importBody,
    answers: { 202: json("A job to follow", jobSchema), ...refusals },
  },
  {
    method: "get",
    path: "/api/audio/{hash}",
    summary: "An audio file; ranges of bytes are served",
    answers: { 200: { means: "The file", media: "audio/wav" }, ...refusals },
  },
  {
    method: "get",
    path: "/api/audio/{hash}/facts",
    summary: "Format and measures of an audio file",
    answers: { 200: json("Facts", audioAnswer), ...refusals },
  },
  {
    method: "get",
    path: "/api/audio/{hash}/overview",
    summary: "Lowest and highest sample of every 256 frames, as pairs of signed bytes",
    answers: { 200: { means: "The pairs", media: "application/octet-stream" }, ...refusals },
  },
  {
    method: "get",
    path: "/api/audio/{hash}/onsets",
    summary: "Frames where sounds begin",
    answers: { 200: json("Rising", z.array(z.int())), ...refusals },
  },
  {
    method: "get",
    path: "/api/audio/{hash}/samples",
    summary: "Samples of the left channel, 32-bit floats",
    query: { from: "first frame", frames: "how many, at most 96000" },
    answers: { 200: { means: "The samples, as many as there are", media: "application/octet-stream" }, ...refusals },
  },
  {
    method: "get",
    path: "/api/handoffs/{id}",
    summary: "A finished export, with its proof once it is made",
    answers: { 200: json("The handoff", handoffAnswer), ...refusals },
  },
  {
    method: "post",
    path: "/api/handoffs/{id}/prove",
    summary: "Read a package back and hold it to a fresh render, again if it was proven before",
    answers: { 202: json("A job to follow", jobSchema), ...refusals },
  },
  {
    method: "get",
    path: "/api/handoffs/{id}/package",
    summary: "The package, one ZIP",
    answers: { 200: { means: "The package", media: "application/zip" }, ...refusals },
  },
];
