import { AAF_ENDING, aafCarries } from "../formats/aaf/facts";
import { ADL_ENDING, adlCarries } from "../formats/adl/facts";
import { DAWPROJECT_ENDING, dawprojectCarries } from "../formats/dawproject/facts";
import { midiCarries } from "../formats/midi/timeline";
import { OTIOZ_ENDING, OTIO_ENDING, otioCarries } from "../formats/otio/facts";
import type { SessionFile } from "../session/document";
import type { Carries } from "../timeline/carries";

export type SessionFileKind = SessionFile["kind"];

export interface KindDeclaration {
  readonly name: string;
  /** In one line: for whom it is, and what is in it. */
  readonly about: string;
  /** Null: all of a session. */
  readonly carries: Carries | null;
  /** Options that mean something for it. */
  readonly options: readonly (keyof SessionFile)[];
}

const AUDIO_OPTIONS = ["print", "printDepth", "mutedTracks", "stereo", "media", "handleSeconds"] as const;

export const sessionKinds: Readonly<Record<SessionFileKind, KindDeclaration>> = {
  aaf: {
    name: "AAF",
    about: "Clips with fades, gains and track volume, for editing and mixing elsewhere.",
    carries: aafCarries,
    options: [...AUDIO_OPTIONS, "audio", "folder", "curvedFades", "frameRate", "startPictureFrames"],
  },
  adl: {
    name: "AES31 list",
    about: "A text list of every clip to the sample, with broadcast WAVs beside it.",
    carries: adlCarries,
    options: [...AUDIO_OPTIONS, "curvedFades", "frameRate", "startPictureFrames"],
  },
  otio: {
    name: "OpenTimelineIO",
    about: "An open timeline for picture and for scripts; mixer settings travel as its metadata.",
    carries: otioCarries,
    options: [...AUDIO_OPTIONS, "audio", "frameRate", "startPictureFrames"],
  },
  dawproject: {
    name: "DAWproject",
    about: "Tracks, groups, sends, automation, notes and tempo, for going on in another music program.",
    carries: dawprojectCarries,
    options: [...AUDIO_OPTIONS, "curvedFades"],
  },
  midi: {
    name: "MIDI file",
    about: "Notes, tempo, meter and markers, no sound.",
    carries: midiCarries,
    options: [],
  },
  bundle: {
    name: "Stemzo bundle",
    about: "The whole session with all its audio, to be opened in Stemzo as it is here.",
    carries: null,
    options: [],
  },
};

/** The ending of a file's name; of OpenTimelineIO it says whether the audio is in it. */
export function endingOf({ kind, audio }: Pick<SessionFile, "kind" | "audio">): string {
  switch (kind) {
    case "aaf":
      return AAF_ENDING;
    case "adl":
      return ADL_ENDING;
    case "otio":
      return audio === "inside" ? OTIOZ_ENDING : OTIO_ENDING;
    case "dawproject":
      return DAWPROJECT_ENDING;
    case "midi":
      return ".mid";
    case "bundle":
      return BUNDLE_ENDING;
  }
}
export const BUNDLE_ENDING = ".stemzo.zip";

/** Whether a file's audio lies in a folder beside it. */
export const isBeside = ({ kind, audio }: Pick<SessionFile, "kind" | "audio">): boolean =>
  kind === "adl" || (audio === "beside" && (kind === "aaf" || kind === "otio"));
