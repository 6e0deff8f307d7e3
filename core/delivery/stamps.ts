import { sha256 } from "@noble/hashes/sha2.js";
import { bytesToHex, utf8ToBytes } from "@noble/hashes/utils.js";
import { convertedFrame } from "../analysis/resample";
import type { Label } from "../formats/label";
import { cueChunks } from "../formats/wav/cues";
import type { Bext, WavChunk } from "../formats/wav/format";
import { ixmlChunk } from "../formats/wav/ixml";
import type { Session } from "../session/document";
import { tempoMap } from "../time/tempo";
import type { ExportPlan, StemFile } from "./plan";

/** Which session a delivery is made from, and when the revision was that it is made of. */
export interface Origin {
  readonly id: string;
  readonly date: Date;
}

/** What a delivered file says of itself beside its sound: in a WAV, and in other formats. */
export interface Stamps {
  readonly bext: Bext;
  /** As a file of two channels, and as one of one. */
  readonly stereo: readonly WavChunk[];
  readonly mono: readonly WavChunk[];
  readonly label: Label;
}

/** The broadcast extension of a file of a plan's. */
export const bextOf = (description: string, plan: ExportPlan, { date }: Pick<Origin, "date">): Bext => ({
  description,
  originator: "Stemzo",
  originatorReference: "",
  originationDate: date.toISOString().slice(0, 10),
  originationTime: date.toISOString().slice(11, 19),
  timeReference: plan.timeReference,
  loudness: null,
});

const UID_DIGITS = 32;
const uidOf = (...parts: readonly string[]): string =>
  bytesToHex(sha256(utf8ToBytes(JSON.stringify(parts)))).slice(0, UID_DIGITS);

/** The session's markers within a plan's range, at frames of its files. */
const marksOf = (session: Session, plan: ExportPlan): Label["marks"] => {
  const tempo = tempoMap(session.tempo, session.rate);
  const first = convertedFrame(plan.from, session.rate, plan.rate) - plan.leadFrames;
  return session.markers
    .map((m) => ({ at: tempo.toFrames(m.tick), text: m.name }))
    .filter((m) => m.at >= plan.from && m.at < plan.to)
    .sort((a, b) => a.at - b.at)
    .map((m) => ({ frame: convertedFrame(m.at, session.rate, plan.rate) - first, text: m.text }));
};

/**
 * What every program may want to know of a file wherever it has got to: name, family, place, tempo, and the session's
 * markers at their frames. Uids follow from what the files hold, so that the same delivery is the same bytes; and
 * nothing in a file depends on which others are delivered with it, so that it can be delivered again as it is.
 */
export function stampsOf(session: Session, plan: ExportPlan, file: StemFile, origin: Origin): Stamps {
  const family = uidOf(origin.id);
  const tempo = tempoMap(session.tempo, session.rate);
  const bpm = tempo.bpmAt(tempo.toTicks(plan.from));
  const marks = marksOf(session, plan);
  const cues = cueChunks(marks.map(({ frame, text }) => ({ frame, label: text })));
  const ixml = (channels: number) =>
    ixmlChunk({
      project: session.name,
      tracks: Array.from({ length: channels }, () => file.title),
      fileUid: uidOf(family, file.fileName, file.fingerprint),
      familyUid: family,
      familyName: session.name,
      rate: plan.rate,
      bits: plan.depth === "32f" ? 32 : Number(plan.depth),
      timeReference: plan.timeReference,
      note: `Begins at ${Math.round(bpm * 1000) / 1000} bpm`,
    });
  const bext = bextOf(file.title, plan, origin);
  return {
    bext,
    stereo: [ixml(2), ...cues],
    mono: [ixml(1), ...cues],
    label: {
      title: file.title,
      song: session.name,
      number: file.number,
      date: bext.originationDate,
      bpm,
      timeReference: plan.timeReference,
      marks,
    },
  };
}
