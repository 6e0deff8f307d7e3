import type { Cause } from "../proof/content";
import type { BesideFault, CheckId, Found, Judgement } from "../proof/judge";
import type { Verdict } from "../proof/proof";

const NAMES: Readonly<Record<CheckId, string>> = {
  bytes: "Hash",
  rate: "Rate",
  depth: "Depth",
  channels: "Channels",
  length: "Length",
  start: "Start",
  content: "Content",
  offset: "Offset",
  sound: "Peak",
  clipping: "Clipping",
  tail: "Tail end",
};

/** What was done to a file, as a sentence without a full stop. */
export function sayCause(cause: Cause): string {
  switch (cause.kind) {
    case "silent":
      return "it is silent where it should sound";
    case "differs in silence":
      return "it differs where it is silent";
    case "sounds in silence":
      return "it sounds where it should be silent";
    case "sides swapped":
      return "left and right are swapped";
    case "inverted":
      return "its polarity is inverted";
    case "shifted": {
      const by = Math.abs(cause.frames);
      return `it comes ${by} ${by === 1 ? "frame" : "frames"} ${cause.frames > 0 ? "late" : "early"}`;
    }
    case "gain":
      return `it is ${Math.abs(cause.db).toFixed(2)} dB too ${cause.db > 0 ? "loud" : "soft"}`;
    case "further on":
      return "it differs further on: what it holds is not what it should hold";
    case "other content":
      return "it lacks a part of its sound, or holds a foreign one";
  }
}

const truePeak = (db: number | null): string => (db === null ? "none" : `${db.toFixed(1)} dBTP`);

/** What a check found, in a few words. */
function sayFound(found: Found): string {
  switch (found.check) {
    case "bytes":
      return found.sha256.slice(0, 8);
    case "rate":
      return `${found.rate}`;
    case "depth":
      return found.depth;
    case "channels":
      return `${found.is}`;
    case "length":
      return found.wanted === null ? `${found.frames}` : `${found.frames}, not ${found.wanted}`;
    case "start":
      return found.timeReference === null ? "no stamp" : `${found.timeReference}`;
    case "content":
      return sayContent(found);
    case "offset":
      return found.frames === null ? "silent" : `${found.frames}`;
    case "sound":
      return "silence" in found ? found.silence : found.peakDb.toFixed(1);
    case "clipping":
      if ("samples" in found) return `${found.samples} samples, up to ${found.lostDb.toFixed(1)} dB lost`;
      if ("runs" in found) return `${found.runs} runs`;
      return `${truePeak(found.truePeakDb)}${found.isKept ? ", kept" : ""}`;
    case "tail":
      return found.endDb === null ? "silent" : `${found.endDb.toFixed(0)} dB`;
  }
}

function sayContent(found: Extract<Found, { readonly check: "content" }>): string {
  switch (found.is) {
    case "MP3":
      return "MP3";
    case "in no stem":
      return "no stem of the sheet";
    case "same":
      return found.residueDb === null ? "exact" : `${found.residueDb.toFixed(0)} dB`;
    case "other":
      return `${found.residueDb?.toFixed(0) ?? "?"} dB: ${found.cause ? sayCause(found.cause) : "it is another"}`;
  }
}

function sayFault(fault: BesideFault): string {
  switch (fault.kind) {
    case "missing":
      return `${fault.name} is missing`;
    case "other bytes":
      return `${fault.name} is another`;
    case "not promised":
      return `${fault.name} was not promised`;
    case "other hashes":
      return `${fault.name} says something else than the manifest`;
    case "other session":
      return `${fault.name} holds another session`;
    case "unreadable":
      return `${fault.name} cannot be read back: ${fault.what}`;
    case "differs":
      return `${fault.name}: ${fault.what}`;
    case "lacks":
      return `${fault.name} lacks "${fault.part}"`;
    case "other part":
      return `"${fault.part}" in ${fault.name} is another`;
  }
}

function saySum({ residual }: Judgement["sum"]): string {
  if (residual === null) return "no mix was asked for";
  return residual.peakDb === null ? "exact: nothing is left" : `${residual.peakDb.toFixed(1)} dBFS peak`;
}

function sayBeside({ faults, promised }: Judgement["beside"]): string {
  if (faults.length > 0) return faults.map(sayFault).join("; ");
  return promised.length > 0 ? `${promised.join(", ")} and hashes as promised` : "nothing beside the audio";
}

/** A judgement in words, as it is stored and shown. */
export const sayVerdict = ({ mark, checks, sum, beside }: Judgement): Verdict => ({
  mark,
  checks: checks.map(({ check, answers }) => ({
    id: check,
    name: NAMES[check],
    cells: answers.map((a) => ({ mark: a.mark, text: sayFound(a.found) })),
  })),
  sum: { mark: sum.mark, text: saySum(sum) },
  beside: { mark: beside.mark, text: sayBeside(beside) },
});
