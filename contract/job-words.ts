import type { JobKind } from "./job-kinds";

/** How people are told of a kind of job. Apart from what it asks and answers, whose schemas a page does without. */
interface JobWords {
  /** While it runs: "Freezing". */
  readonly title: string;
  /** In an error: "The freeze failed". */
  readonly subject: string;
  /** The message when it was cancelled, with what is kept. */
  readonly cancelled: string;
  /** Whether people are shown that it runs. */
  readonly shown: boolean;
  /** It makes prints: the foot of the Bench follows it. */
  readonly makesPrints?: boolean;
  /** No person asked for it: its failure is not shown. */
  readonly unasked?: boolean;
}

export const jobWords: Readonly<Record<JobKind, JobWords>> = {
  freeze: {
    title: "Freezing",
    subject: "freeze",
    cancelled: "Freeze cancelled. The session is as it was.",
    shown: true,
    makesPrints: true,
  },
  print: {
    title: "Printing",
    subject: "print",
    cancelled: "Print cancelled. The session is as it was.",
    shown: true,
    makesPrints: true,
  },
  refresh: {
    title: "Refreshing",
    subject: "refresh",
    cancelled: "Refresh cancelled. The prints are as they were.",
    shown: true,
    makesPrints: true,
  },
  check: {
    title: "Comparing",
    subject: "comparison",
    cancelled: "The comparison was cancelled.",
    shown: false,
    unasked: true,
  },
  listen: {
    title: "Preparing to listen",
    subject: "rendering",
    cancelled: "Cancelled.",
    shown: false,
  },
  export: {
    title: "Exporting",
    subject: "export",
    cancelled: "Export cancelled. Nothing was kept of it.",
    shown: true,
  },
  prove: {
    title: "Proving",
    subject: "proof",
    cancelled: "Proof cancelled. The package is kept as it is, not proven.",
    shown: true,
  },
  import: {
    title: "Importing",
    subject: "import",
    cancelled: "Cancelled. Nothing was imported.",
    shown: true,
  },
  "bring back": {
    title: "Placing files on the session",
    subject: "placing of the files",
    cancelled: "Cancelled. Nothing was placed.",
    shown: true,
  },
  look: {
    title: "Reading the files",
    subject: "look at the files",
    cancelled: "Cancelled. The files were not imported.",
    shown: false,
  },
  "take in": {
    title: "Importing",
    subject: "import",
    cancelled: "Cancelled. Nothing was imported.",
    shown: true,
  },
  supply: {
    title: "Relinking missing files",
    subject: "relinking of missing files",
    cancelled: "Cancelled. The session is as it was.",
    shown: true,
  },
  judge: {
    title: "Checking the set",
    subject: "check of the set",
    cancelled: "Cancelled. The set was not checked.",
    shown: false,
  },
  mend: {
    title: "Repairing the set",
    subject: "repair of the set",
    cancelled: "Cancelled. No session was made.",
    shown: true,
  },
  differences: {
    title: "Comparing",
    subject: "comparison",
    cancelled: "The comparison was cancelled.",
    shown: true,
  },
  "compare versions": {
    title: "Comparing two versions",
    subject: "comparison",
    cancelled: "The comparison was cancelled.",
    shown: true,
  },
  "save audio": {
    title: "Saving",
    subject: "saving of the file",
    cancelled: "Cancelled. No file was made.",
    shown: true,
  },
  "add instruments": {
    title: "Adding instruments",
    subject: "adding of instruments",
    cancelled: "Cancelled. No instrument was added.",
    shown: true,
  },
  "put instrument": {
    title: "Placing instruments",
    subject: "placing of instruments",
    cancelled: "Cancelled. The session is as it was.",
    shown: true,
  },
  load: {
    title: "Measuring",
    subject: "measurement",
    cancelled: "Measuring was cancelled.",
    shown: false,
    unasked: true,
  },
};
