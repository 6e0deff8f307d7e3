import {
  bigint,
  boolean,
  customType,
  doublePrecision,
  integer,
  jsonb,
  pgTable,
  primaryKey,
  real,
  text,
  timestamp,
  uniqueIndex,
} from "drizzle-orm/pg-core";
import type { FileFactsAsMade } from "../../contract/handoff";
import type { MeasuredLoad } from "../../contract/session";
import type { Measures } from "../../core/analysis/measure";
import type { Manifest } from "../../core/delivery/manifest";
import type { Proof } from "../../core/proof/proof";
import type { Slip } from "../../core/printing/slip";
import type { Session } from "../../core/session/document";
import type { Step } from "../../core/session/edits";
import type { PresetInFile } from "../../contract/instruments";
import type { ProfileBody } from "../../core/delivery/profiles";
import type { Recipe } from "../../contract/recipe";
import type { JobProgress, JobStatus, ServiceFault } from "../../contract/job";
import type { JobRequest, JobResult } from "../../contract/job-kinds";

const bytea = customType<{ data: Uint8Array; driverData: Buffer }>({
  dataType: () => "bytea",
  toDriver: (value) => Buffer.from(value),
  fromDriver: (value) => new Uint8Array(value),
});
const madeAt = timestamp("made_at", { withTimezone: true }).notNull().defaultNow();

/** A session: a snapshot of its document, and where its history stands. */
export const sessions = pgTable("sessions", {
  id: text("id").primaryKey(),
  revision: integer("revision").notNull(),
  /** The id of the step that made this revision; of revision 0, an id of its own. */
  head: text("head").notNull(),
  /** Of the document as it is now. */
  name: text("name").notNull(),
  tracks: integer("tracks").notNull(),
  /** The document as it was at `documentRevision`; the steps since make it what it is now. */
  document: jsonb("document").$type<Session>().notNull(),
  documentRevision: integer("document_revision").notNull(),
  /** Revisions of the steps that undo would take back and redo bring forth. */
  undoStep: integer("undo_step"),
  redoStep: integer("redo_step"),
  load: jsonb("load").$type<MeasuredLoad>(),
  madeAt,
  changedAt: timestamp("changed_at", { withTimezone: true }).notNull().defaultNow(),
  /** Off the list since then; kept whole. */
  deletedAt: timestamp("deleted_at", { withTimezone: true }),
});

export const steps = pgTable(
  "steps",
  {
    sessionId: text("session_id")
      .notNull()
      .references(() => sessions.id, { onDelete: "cascade" }),
    revision: integer("revision").notNull(),
    /** Chosen by the client that made the step: the same id is stored once. */
    stepId: text("step_id").notNull(),
    label: text("label").notNull(),
    /** Whether it was done anew, or takes another step back or brings it forth. */
    how: text("how").$type<"edit" | "undo" | "redo">().notNull().default("edit"),
    step: jsonb("step").$type<Step>().notNull(),
    /** Revision of the step below this one on the stack it was put on: of undo, or of redo. */
    below: integer("below"),
    inverse: jsonb("inverse").$type<Step>().notNull(),
    madeAt,
  },
  (t) => [primaryKey({ columns: [t.sessionId, t.revision] }), uniqueIndex("steps_id").on(t.sessionId, t.stepId)],
);

/** Points of a session's history with a name. */
export const versions = pgTable(
  "versions",
  {
    sessionId: text("session_id")
      .notNull()
      .references(() => sessions.id, { onDelete: "cascade" }),
    revision: integer("revision").notNull(),
    name: text("name").notNull(),
    madeAt,
  },
  (t) => [primaryKey({ columns: [t.sessionId, t.revision] })],
);

/** Facts of a file in the audio store. */
export const assets = pgTable("assets", {
  hash: text("hash").primaryKey(),
  rate: integer("rate").notNull(),
  channels: integer("channels").$type<1 | 2>().notNull(),
  depth: text("depth").notNull(),
  frames: bigint("frames", { mode: "number" }).notNull(),
  bytes: bigint("bytes", { mode: "number" }).notNull(),
  timeReference: bigint("time_reference", { mode: "number" }),
  overview: bytea("overview").notNull(),
  measures: jsonb("measures").$type<Measures>().notNull(),
  madeAt,
});

/** The print cache: what was rendered for a fingerprint, and where it first came from. */
export const prints = pgTable("prints", {
  fingerprint: text("fingerprint").primaryKey(),
  asset: text("asset")
    .notNull()
    .references(() => assets.hash),
  sessionId: text("session_id").notNull(),
  revision: integer("revision").notNull(),
  source: text("source").notNull(),
  madeAt,
});

/**
 * Where every print came from: what was asked for, of what, at which revision; and whether the session sounded the same
 * after it.
 */
export const lineage = pgTable("lineage", {
  id: text("id").primaryKey(),
  sessionId: text("session_id")
    .notNull()
    .references(() => sessions.id, { onDelete: "cascade" }),
  /** The job that made it; a job makes one print for each file. */
  job: text("job").notNull(),
  asset: text("asset")
    .notNull()
    .references(() => assets.hash),
  /** Which file of its job it is, from 0. */
  place: integer("place").notNull().default(0),
  name: text("name").notNull(),
  slip: jsonb("slip").$type<Slip>().notNull(),
  /** Names of the tracks whose sound is in it, as they were. */
  sources: jsonb("sources").$type<readonly string[]>().notNull(),
  fingerprint: text("fingerprint").notNull(),
  revisionBefore: integer("revision_before").notNull(),
  revisionAfter: integer("revision_after").notNull(),
  residueDb: real("residue_db"),
  checked: boolean("checked").notNull().default(false),
  madeAt,
});

/** A slip kept by name, for every session: everything of it but which tracks it is about. */
export const recipes = pgTable("recipes", {
  id: text("id").primaryKey(),
  name: text("name").notNull(),
  slip: jsonb("slip").$type<Recipe["slip"]>().notNull(),
  madeAt,
});

/** What a receiver is to get, kept by name for every session: everything of a stem sheet but its rows and its range. */
export const profiles = pgTable("profiles", {
  id: text("id").primaryKey(),
  name: text("name").notNull(),
  body: jsonb("body").$type<ProfileBody>().notNull(),
  madeAt,
});

/** Files of instruments that were brought in, for all sessions: SoundFonts, by SHA-256. */
export const instrumentFiles = pgTable("instrument_files", {
  hash: text("hash").primaryKey(),
  name: text("name").notNull(),
  fileName: text("file_name").notNull(),
  bytes: bigint("bytes", { mode: "number" }).notNull(),
  presets: jsonb("presets").$type<readonly PresetInFile[]>().notNull(),
  madeAt,
});

/** Access to one handoff without a login. The secret is not stored, only its digest. */
export const links = pgTable("links", {
  id: text("id").primaryKey(),
  handoffId: text("handoff_id")
    .notNull()
    .references(() => handoffs.id, { onDelete: "cascade" }),
  secretSha256: text("secret_sha256").notNull().unique(),
  /** scrypt, with its salt; null: the address is enough. */
  passphrase: text("passphrase"),
  /** For whom, in the sender's words. */
  name: text("name").notNull(),
  expiresAt: timestamp("expires_at", { withTimezone: true }).notNull(),
  revokedAt: timestamp("revoked_at", { withTimezone: true }),
  /** How often the package or a file of it may be fetched; null: as often as wanted. */
  mostDownloads: integer("most_downloads"),
  downloads: integer("downloads").notNull().default(0),
  /** Shares of what was fetched in parts or broke off, since a whole download was counted; 1 of them is a download. */
  partial: doublePrecision("partial").notNull().default(0),
  /** All that was sent through it, to be kept or to be heard. */
  sentBytes: bigint("sent_bytes", { mode: "number" }).notNull().default(0),
  madeAt,
});

/** What was fetched through a link: the package or one file. */
export const fetches = pgTable("fetches", {
  id: bigint("id", { mode: "number" }).primaryKey().generatedAlwaysAsIdentity(),
  linkId: text("link_id")
    .notNull()
    .references(() => links.id, { onDelete: "cascade" }),
  what: text("what").notNull(),
  at: timestamp("at", { withTimezone: true }).notNull().defaultNow(),
});

export const jobs = pgTable("jobs", {
  id: text("id").primaryKey(),
  /** Null: of what arrived and belongs to no session yet. */
  sessionId: text("session_id").references(() => sessions.id, { onDelete: "cascade" }),
  request: jsonb("request").$type<JobRequest>().notNull(),
  status: text("status").$type<JobStatus>().notNull().default("waiting"),
  progress: jsonb("progress").$type<JobProgress>().notNull(),
  result: jsonb("result").$type<JobResult>(),
  fault: jsonb("fault").$type<ServiceFault>(),
  cancelWanted: boolean("cancel_wanted").notNull().default(false),
  /** How often a worker has begun it; more than one means a worker was lost on the way. */
  attempts: integer("attempts").notNull().default(0),
  madeAt,
  endedAt: timestamp("ended_at", { withTimezone: true }),
});

/** A finished export: its package, and the proof made by reading it back, once that is made. */
export const handoffs = pgTable("handoffs", {
  id: text("id").primaryKey(),
  sessionId: text("session_id")
    .notNull()
    .references(() => sessions.id, { onDelete: "cascade" }),
  revision: integer("revision").notNull(),
  fileName: text("file_name").notNull(),
  /** The mix that its stems should add up to; null where none was rendered. */
  whole: text("whole").references(() => assets.hash),
  facts: jsonb("facts").$type<readonly FileFactsAsMade[]>().notNull().default([]),
  manifest: jsonb("manifest").$type<Manifest>().notNull(),
  bytes: bigint("bytes", { mode: "number" }).notNull(),
  proof: jsonb("proof").$type<Proof>(),
  speed: real("speed").notNull(),
  madeAt,
});

/** Render processes that announced themselves; each holds an advisory lock on its number while it lives. */
export const renderProcesses = pgTable("render_processes", {
  poolId: text("pool_id").primaryKey(),
  lock: integer("lock").generatedAlwaysAsIdentity().notNull(),
  /** The machine that it runs on, as that calls itself. */
  host: text("host").notNull().default(""),
  /** When it told last that it lives, which it does every few seconds. */
  seenAt: timestamp("seen_at", { withTimezone: true }).notNull().defaultNow(),
});

/** One row: what all web servers of this database share. */
export const installations = pgTable("installations", {
  id: integer("id").primaryKey(),
  /** base64url; what logins and passphrases that were told are signed with. */
  signingKey: text("signing_key").notNull(),
  loginRound: integer("login_round").notNull().default(0),
});
