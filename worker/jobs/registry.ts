import type { JobKind, RequestOf } from "../../contract/job-kinds";
import type { CarryOut, JobContext, StartedJob } from "../context/job-context";
import { addInstruments } from "./add-instruments";
import { bringBack } from "./bring-back";
import { check } from "./check";
import { compareVersions } from "./compare-versions";
import { differences } from "./differences";
import { exportStems } from "./export";
import { freeze } from "./freeze";
import { bringIn } from "./import";
import { judge } from "./judge";
import { listen } from "./listen";
import { load } from "./load";
import { look } from "./look";
import { mend } from "./mend";
import { print } from "./print";
import { prove } from "./prove";
import { putInstrument } from "./put-instrument";
import { refresh } from "./refresh";
import { saveAudio } from "./save-audio";
import { supply } from "./supply";
import { takeIn } from "./take-in";

/** How each kind of job is carried out; what is said of it stands in its contract. */
const carriers: { readonly [K in JobKind]: CarryOut<K> } = {
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
};

/**
 * Carries a job out and ends it in one transaction with all it changes. Throws when it could not; nothing is changed
 * then.
 */
export function carryOut<K extends JobKind>(job: StartedJob, context: JobContext): Promise<void> {
  const request = job.request as RequestOf<K>;
  return carriers[request.kind as K](job, request, context);
}
