/* eslint-disable max-lines -- a table: every operation of the HTTP interface */
import { z } from "zod";
import type { Frozen } from "../core/session/document";
import { sessionSchema } from "../core/session/document";
import { slipSchema } from "../core/printing/slip-schema";
import { audioSchema, samplesQuery, uploadSchema } from "./audio";
import { healthSchema } from "./health";
import { runningSchema } from "./running";
import { surveyQuery, surveySchema, tidySchema } from "./tidy";
import { handoffSchema, handoffSummarySchema } from "./handoff";
import { instrumentFileSchema } from "./instruments";
import { faultSchema, jobSchema } from "./job";
import { historyQuery, historySchema, pointSchema, returnBody, versionBody } from "./history";
import { bodyOf } from "./job-kinds";
import { deliverySchema, linkSchema, madeLinkSchema, newLinkBody } from "./link";
import { newProfileBody, profileSchema } from "./profile";
import { printRecordSchema, reopenedSchema } from "./print";
import { recipeBody, recipeSchema } from "./recipe";
import {
  behindSchema,
  editsBody,
  eventsQuery,
  newSessionBody,
  revisionSchema,
  sessionStateSchema,
  sessionSummarySchema,
  sketchSchema,
  storedSchema,
  tracksBody,
  traveledSchema,
  wentBackSchema,
} from "./session";

type Media =
  | "*/*"
  | "application/json"
  | "audio/wav"
  | "application/zip"
  | "application/octet-stream"
  | "text/event-stream"
  | "text/plain";

export interface Answer {
  readonly means: string;
  readonly media: Media;
  readonly schema?: z.ZodType;
}

export interface Operation {
  readonly summary: string;
  /** It needs no login, also on a server that is open to others. */
  readonly open?: true;
  readonly query?: z.ZodObject;
  readonly body?: z.ZodType | "audio/wav";
  /** How much of it is taken; the usual where nothing is said. */
  readonly takes?: "steps" | "document";
  readonly answers: Readonly<Record<number, Answer>>;
}

const json = <S extends z.ZodType>(means: string, schema: S) => ({ means, media: "application/json", schema }) as const;
const bytes = <M extends Media>(means: string, media: M) => ({ means, media }) as const;
const refusals = {
  400: json("The request cannot be read", z.strictObject({ fault: faultSchema })),
  404: json("There is no such thing", z.strictObject({ fault: faultSchema })),
  413: json("More than is taken", z.strictObject({ fault: faultSchema })),
  422: json("What was sent is wrong; every problem is listed with its place", z.strictObject({ fault: faultSchema })),
  503: json("The database does not answer", z.strictObject({ fault: faultSchema })),
  507: json("The disk is full", z.strictObject({ fault: faultSchema })),
} as const;

const inTheWay = {
  409: json("It cannot be done as things stand", z.strictObject({ fault: faultSchema })),
} as const;

const closed = {
  401: json("A password or passphrase is needed, or was wrong", z.strictObject({ fault: faultSchema })),
  403: json("It was used as often as allowed", z.strictObject({ fault: faultSchema })),
  410: json("The link was closed, or has expired", z.strictObject({ fault: faultSchema })),
  429: json("That was tried too often", z.strictObject({ fault: faultSchema })),
} as const;

/**
 * Every operation of the HTTP interface, by its method and its path. The routes, the browser's calls and the
 * description at /api/openapi.json are made from this list and nothing else.
 */
export const operations = {
  "GET /api/health": {
    summary: "Database, store, queue and workers, told apart; within two seconds, whatever hangs",
    answers: { 200: json("All stands", healthSchema), 503: json("Something does not", healthSchema) },
  },
  "GET /api/tidy": {
    summary: "What would be tidied away: what nothing refers to, and what has had its time",
    answers: { 200: json("Nothing of it has been removed", tidySchema) },
  },
  "POST /api/tidy": {
    summary: "Tidies away what nothing refers to, and what has had its time",
    answers: { 200: json("What was removed", tidySchema) },
  },
  "GET /api/survey": {
    summary: "Whether what is stored and what the database says of it agree",
    query: surveyQuery,
    answers: { 200: json("What is missing, unknown or damaged", surveySchema), ...refusals },
  },
  "GET /api/running": {
    summary: "How everything runs: jobs, workers, disk, what failed last",
    answers: { 200: json("As it is now", runningSchema) },
  },
  "GET /api/metrics": {
    summary: "What is measured, in the text format that Prometheus reads",
    answers: { 200: bytes("Metrics", "text/plain") },
  },
  "GET /api/openapi.json": {
    summary: "This description",
    answers: { 200: json("An OpenAPI 3.1 document", z.looseObject({})) },
  },
  "GET /api/sessions": {
    summary: "All sessions, last changed first",
    answers: { 200: json("Sessions", z.array(sessionSummarySchema)) },
  },
  "POST /api/sessions": {
    summary: "Create a session from a document; its audio has to be uploaded before",
    body: newSessionBody,
    takes: "document",
    answers: { 201: json("Created", sessionStateSchema), ...refusals, ...inTheWay },
  },
  "GET /api/sessions/{id}": {
    summary: "A session: document, revision, load",
    answers: { 200: json("The session", sessionStateSchema), ...refusals },
  },
  "GET /api/sessions/{id}/sketch": {
    summary: "A session at a glance: length, tempo, meter, and where there is something on its tracks",
    answers: { 200: json("The sketch", sketchSchema), ...refusals },
  },
  "POST /api/sessions/{id}/saved": {
    summary: "Write a piece of the session's audio as a WAV, AIFF, FLAC or MP3 file",
    body: bodyOf("save audio"),
    answers: { 202: json("The job; its file is kept for a day", jobSchema), ...refusals },
  },
  "GET /api/jobs/{id}/file": {
    summary: "The file that a job of saving has made",
    answers: { 200: bytes("The file", "application/octet-stream"), ...refusals },
  },
  "GET /api/sessions/{id}/history": {
    summary: "What was done, the newest first, and the points that were given a name",
    query: historyQuery,
    answers: { 200: json("The history", historySchema), ...refusals },
  },
  "GET /api/sessions/{id}/history/{revision}": {
    summary: "The session's document as it was at a point of its history",
    answers: { 200: json("The document", sessionSchema), ...refusals },
  },
  "POST /api/sessions/{id}/history/versions": {
    summary: "Name a point of the history as a version; an empty name takes the name away",
    body: versionBody,
    answers: { 200: json("Named", pointSchema), ...refusals },
  },
  "POST /api/sessions/{id}/history/return": {
    summary: "Go back to a point of the history, in one step that can be undone",
    body: returnBody,
    answers: { 200: json("The session is as it was then", wentBackSchema), ...refusals, ...inTheWay },
  },
  "POST /api/sessions/{id}/history/compare": {
    summary: "Compare two points of the history by what sounds different, track by track",
    body: bodyOf("compare versions"),
    answers: { 202: json("The job", jobSchema), ...refusals },
  },
  "POST /api/sessions/{id}/duplicate": {
    summary: "A session of its own with the same document",
    answers: { 201: json("Created", sessionStateSchema), ...refusals },
  },
  "POST /api/sessions/{id}/delete": {
    summary: "Take a session off the list; nothing of it is lost",
    answers: { 200: json("Deleted", z.strictObject({ deleted: z.literal(true) })), ...refusals },
  },
  "POST /api/sessions/{id}/restore": {
    summary: "Put a deleted session back on the list",
    answers: { 200: json("Back", z.strictObject({ deleted: z.literal(false) })), ...refusals },
  },
  "GET /api/sessions/{id}/events": {
    summary: "What happens to a session, as it happens: steps, jobs, load",
    query: eventsQuery,
    answers: { 200: bytes("Server-sent events `steps`, `job`, `load`", "text/event-stream"), ...refusals },
  },
  "POST /api/sessions/{id}/edits": {
    summary: "Store steps made on revision `base`, all or none, on top of what others did since",
    body: editsBody,
    takes: "steps",
    answers: {
      200: json("Stored", storedSchema),
      409: json("Others were first: apply what is missing and send again", behindSchema),
      ...refusals,
    },
  },
  "POST /api/sessions/{id}/undo": {
    summary: "Take the newest step back",
    answers: { 200: json("Taken back", traveledSchema), ...refusals, ...inTheWay },
  },
  "POST /api/sessions/{id}/redo": {
    summary: "Bring the newest undone step forth",
    answers: { 200: json("Brought back", traveledSchema), ...refusals, ...inTheWay },
  },
  "POST /api/sessions/{id}/freeze": {
    summary: "Freeze tracks: one job, one pass",
    body: tracksBody,
    answers: { 202: json("A job to follow", jobSchema), ...refusals },
  },
  "POST /api/sessions/{id}/unfreeze": {
    summary: "Let frozen tracks play their live source again",
    body: tracksBody,
    answers: { 200: json("Done", revisionSchema), ...refusals },
  },
  "POST /api/sessions/{id}/commit": {
    summary: "Make freezes permanent; each source stays parked beside its print",
    body: tracksBody,
    answers: { 200: json("Done", revisionSchema), ...refusals },
  },
  "POST /api/sessions/{id}/prints": {
    summary: "Print: render a slip and put it where it says",
    body: slipSchema,
    answers: { 202: json("A job to follow", jobSchema), ...refusals },
  },
  "GET /api/sessions/{id}/prints": {
    summary: "Every print of a session with its lineage, newest first",
    answers: {
      200: json("Prints", z.array(printRecordSchema)),
      ...refusals,
    },
  },
  "POST /api/sessions/{id}/prints/refresh": {
    summary: "Print again from the sources as they are now, in place of the old prints",
    body: bodyOf("refresh"),
    answers: { 202: json("A job to follow", jobSchema), ...refusals },
  },
  "POST /api/sessions/{id}/prints/{print}/reopen": {
    summary: "Bring a print's source back as it was, and park the print",
    answers: { 200: json("Reopened", reopenedSchema), ...refusals },
  },
  "POST /api/sessions/{id}/prints/{print}/listen": {
    summary: "Write the mix before a print, after it, and their difference, to be heard",
    answers: { 202: json("A job to follow", jobSchema), ...refusals },
  },
  "GET /api/sessions/{id}/prints/{print}/changes": {
    summary: "What was done since a print that touched its sources",
    answers: { 200: json("Labels of steps, oldest first", z.array(z.string())), ...refusals },
  },
  "GET /api/recipes": {
    summary: "Saved print slips, for every session",
    answers: { 200: json("Recipes", z.array(recipeSchema)) },
  },
  "POST /api/recipes": {
    summary: "Save a print slip by name",
    body: recipeBody,
    answers: { 201: json("Saved", recipeSchema), ...refusals },
  },
  "POST /api/recipes/{id}/rename": {
    summary: "Give a recipe another name",
    body: recipeBody.pick({ name: true }),
    answers: { 200: json("Renamed", recipeSchema), ...refusals },
  },
  "POST /api/recipes/{id}/delete": {
    summary: "Remove a recipe; the answer holds what it was",
    answers: { 200: json("Removed", recipeSchema), ...refusals },
  },
  "GET /api/instruments": {
    summary: "Files of instruments that were added, with their presets, for every session",
    answers: { 200: json("Files of instruments", z.array(instrumentFileSchema)) },
  },
  "POST /api/instruments": {
    summary: "Add sent SoundFonts (SF2, SF3), or SFZ files with their recordings, to the instruments of all sessions",
    body: bodyOf("add instruments"),
    answers: { 202: json("A job to follow", jobSchema), ...refusals },
  },
  "POST /api/instruments/{id}/delete": {
    summary: "Remove a file of instruments; sessions keep what they play of it",
    answers: { 200: json("Removed", instrumentFileSchema), ...refusals },
  },
  "POST /api/sessions/{id}/instruments": {
    summary: "Put a preset of a file of instruments on a track, or on a new one, in one step",
    body: bodyOf("put instrument"),
    answers: { 202: json("A job to follow", jobSchema), ...refusals },
  },
  "GET /api/profiles": {
    summary: "Receivers' profiles that were saved, for every session",
    answers: { 200: json("Profiles", z.array(profileSchema)) },
  },
  "POST /api/profiles": {
    summary: "Save a receiver's profile",
    body: newProfileBody,
    answers: { 201: json("Saved", profileSchema), ...refusals },
  },
  "POST /api/profiles/{id}/delete": {
    summary: "Remove a profile; the answer holds what it was",
    answers: { 200: json("Removed", profileSchema), ...refusals },
  },
  "POST /api/handoffs/{id}/bring-back": {
    summary: "Lay the files of a handoff on its session where they came from, muted, in one step",
    answers: { 202: json("A job to follow", jobSchema), ...refusals },
  },
  "POST /api/handoffs/{id}/differences": {
    summary: "Hold a handoff against an earlier one of its session: what changed, and where on the timeline",
    body: z.strictObject({ earlier: z.string() }),
    answers: { 202: json("A job to follow", jobSchema), ...refusals },
  },
  "GET /api/handoffs/{id}/links": {
    summary: "Private links to a handoff, newest first, and what was fetched through them",
    answers: { 200: json("Links", z.array(linkSchema)), ...refusals },
  },
  "POST /api/handoffs/{id}/links": {
    summary: "Make a private link; its path is told this once",
    body: newLinkBody,
    answers: { 201: json("Made", madeLinkSchema), ...refusals },
  },
  "POST /api/links/{id}/revoke": {
    summary: "Close a private link",
    answers: { 200: json("Closed", linkSchema), ...refusals },
  },
  "GET /api/handoffs/{id}/files/{name}": {
    summary: "One audio file or paper of a package; ranges are answered",
    answers: { 200: bytes("The file", "*/*"), 206: bytes("A range of it", "*/*"), ...refusals },
  },
  "POST /api/login": {
    summary: "Come in with the password, where this server is open to others; the answer sets a cookie",
    open: true,
    body: z.strictObject({ password: z.string().min(1).max(1000) }),
    answers: { 200: json("In", z.strictObject({ ok: z.literal(true) })), ...refusals, ...closed },
  },
  "POST /api/logout": {
    summary: "Sign out: every cookie that lets in is worth nothing from now on, wherever it is",
    answers: { 200: json("Out", z.strictObject({ ok: z.literal(true) })), ...refusals, 401: closed[401] },
  },
  "GET /api/r/{secret}": {
    summary: "What a private link leads to",
    open: true,
    answers: { 200: json("The delivery", deliverySchema), ...refusals, ...closed },
  },
  "POST /api/r/{secret}/enter": {
    summary: "Tell a link's passphrase; the answer sets a cookie",
    open: true,
    body: z.strictObject({ passphrase: z.string().min(1).max(1000) }),
    answers: { 200: json("In", z.strictObject({ ok: z.literal(true) })), ...refusals, ...closed },
  },
  "GET /api/r/{secret}/package": {
    summary: "The package a private link leads to; ranges are answered",
    open: true,
    answers: {
      200: bytes("The package", "application/zip"),
      206: bytes("A range of it", "application/zip"),
      ...refusals,
      ...closed,
    },
  },
  "GET /api/r/{secret}/files/{name}": {
    summary: "One file of it, to be kept with `save=1`, else to be heard; ranges are answered",
    open: true,
    query: z.strictObject({ save: z.literal("1").exactOptional() }),
    answers: { 200: bytes("The file", "*/*"), 206: bytes("A range of it", "*/*"), ...refusals, ...closed },
  },
  "POST /api/sessions/{id}/load": {
    summary: "Measure the load of every track",
    answers: { 202: json("A job to follow", jobSchema), ...refusals },
  },
  "POST /api/sessions/{id}/exports": {
    summary:
      "Export the stem sheet into one package; its proof follows as a job of its own. With `since`, files that an " +
      "earlier export has already are taken from it",
    body: bodyOf("export"),
    answers: { 202: json("A job to follow", jobSchema), ...refusals, ...inTheWay },
  },
  "GET /api/sessions/{id}/handoffs": {
    summary: "Finished exports, newest first",
    answers: { 200: json("Handoffs", z.array(handoffSummarySchema)), ...refusals },
  },
  "GET /api/jobs/{id}": {
    summary: "A job: status, progress, result or fault",
    answers: { 200: json("The job", jobSchema), ...refusals },
  },
  "POST /api/jobs/{id}/cancel": {
    summary: "Ask a job to stop",
    answers: { 200: json("The job", jobSchema), ...refusals },
  },
  "POST /api/audio": {
    summary: "Upload a WAV file",
    body: "audio/wav",
    answers: { 201: json("What the file is", audioSchema), ...refusals },
  },
  "POST /api/uploads": {
    summary: "Send any file of audio (WAV, AIFF, FLAC, MP3, Ogg Vorbis, Opus), to be imported into a session",
    body: "audio/wav",
    answers: {
      201: json("Kept until it is imported", uploadSchema),
      ...refusals,
    },
  },
  "POST /api/intakes": {
    summary:
      "Look at sent files (sound, MIDI, session files, ZIPs, packages): what they are and what they would become",
    body: bodyOf("look"),
    answers: { 202: json("A job to follow; its result says what the files are", jobSchema), ...refusals },
  },
  "POST /api/intakes/take-in": {
    summary: "Import the files as a new session, or onto an existing one, in one step",
    body: bodyOf("take in"),
    answers: { 202: json("A job to follow; its result names the session", jobSchema), ...refusals },
  },
  "POST /api/intakes/check": {
    summary:
      "Judge sent stems as a set, by themselves and against their mix: every fault by file and size, and its repair",
    body: bodyOf("judge"),
    answers: { 202: json("A job to follow; its result is the judged set", jobSchema), ...refusals },
  },
  "POST /api/intakes/mend": {
    summary: "Make a session of a judged set with its repairs, and on request export it as a proven package",
    body: bodyOf("mend"),
    answers: { 202: json("A job to follow; its result names the session", jobSchema), ...refusals },
  },
  "POST /api/sessions/{id}/missing": {
    summary: "Relink missing files to sent ones, matched by name, in one step",
    body: bodyOf("supply"),
    answers: { 202: json("A job to follow", jobSchema), ...refusals },
  },
  "POST /api/sessions/{id}/imports": {
    summary: "Bring sent files in: converted to the session's rate, placed on tracks",
    body: bodyOf("import"),
    answers: { 202: json("A job to follow", jobSchema), ...refusals },
  },
  "GET /api/audio/{hash}": {
    summary: "An audio file; ranges of bytes are served",
    answers: { 200: bytes("The file", "audio/wav"), ...refusals },
  },
  "GET /api/audio/{hash}/facts": {
    summary: "Format and measures of an audio file",
    answers: { 200: json("Facts", audioSchema), ...refusals },
  },
  "GET /api/audio/{hash}/overview": {
    summary: "Lowest and highest sample of every 256 frames, as pairs of signed bytes",
    answers: { 200: bytes("The pairs", "application/octet-stream"), ...refusals },
  },
  "GET /api/audio/{hash}/onsets": {
    summary: "Frames where sounds begin",
    answers: { 200: json("Rising", z.array(z.int())), ...refusals },
  },
  "GET /api/audio/{hash}/samples": {
    summary: "Samples of the left channel, 32-bit floats",
    query: samplesQuery,
    answers: { 200: bytes("The samples, as many as there are", "application/octet-stream"), ...refusals },
  },
  "GET /api/handoffs/{id}": {
    summary: "A finished export, with its proof once it is made",
    answers: { 200: json("The handoff", handoffSchema), ...refusals },
  },
  "POST /api/handoffs/{id}/prove": {
    summary: "Read a package back and hold it to a fresh render, again if it was proven before",
    answers: { 202: json("A job to follow", jobSchema), ...refusals },
  },
  "GET /api/handoffs/{id}/package": {
    summary: "The package, one ZIP",
    answers: { 200: bytes("The package", "application/zip"), ...refusals },
  },
} as const satisfies Readonly<Record<`${"GET" | "POST"} /api/${string}`, Operation>>;

export type OperationName = keyof typeof operations;
type Of<N extends OperationName> = (typeof operations)[N];

/** The names in braces of an operation's path. */
type NamesIn<Path extends string> = Path extends `${string}{${infer Name}}${infer Rest}` ? Name | NamesIn<Rest> : never;
export type ParamsOf<N extends OperationName> = Readonly<Record<NamesIn<N>, string>>;
/** The body as a client writes it, and as a route gets it. */
export type SentTo<N extends OperationName> =
  Of<N> extends { readonly body: infer B extends z.ZodType } ? Frozen<z.input<B>> : undefined;
export type BodyOf<N extends OperationName> =
  Of<N> extends { readonly body: infer B extends z.ZodType } ? Frozen<z.output<B>> : undefined;
export type QueryOf<N extends OperationName> =
  Of<N> extends { readonly query: infer Q extends z.ZodObject } ? z.output<Q> : undefined;

type Answers<N extends OperationName> = Of<N>["answers"];
type SchemaAt<N extends OperationName, S> = S extends keyof Answers<N>
  ? Answers<N>[S] extends { readonly schema: infer T extends z.ZodType }
    ? T
    : never
  : never;
export type Success = 200 | 201 | 202;
/** What comes back when all went well. */
export type AnswerOf<N extends OperationName> = Frozen<z.output<SchemaAt<N, Success>>>;
/** What comes back with a status. */
export type AnswerAt<N extends OperationName, S extends number> = Frozen<z.output<SchemaAt<N, S>>>;

/** Method and path of an operation. */
export function addressOf(name: OperationName): { readonly method: "GET" | "POST"; readonly path: string } {
  const [method, path = ""] = name.split(" ") as ["GET" | "POST", string];
  return { method, path };
}
