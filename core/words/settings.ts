import type { SessionFile, Sheet } from "../session/document";
import { depthName, type Depth } from "../units";

/** What a value of a setting is called, and in one line what it means for the receiver. */
interface ValueWords {
  readonly label: string;
  readonly about?: string;
}

/** Every value of a setting: one that the schema gains does not compile until it has words. */
type SettingWords<T extends string> = Readonly<Record<T, ValueWords>>;

/** Values of a setting to choose from, in the order given, or in that of their words. */
export const optionsOf = <T extends string>(
  words: SettingWords<T>,
  values: readonly T[] = Object.keys(words) as T[],
): readonly (ValueWords & { readonly value: T })[] => values.map((value) => ({ value, ...words[value] }));

export const depths: SettingWords<Depth> = {
  "16": { label: depthName("16"), about: "For players and old samplers; dithered." },
  "24": { label: depthName("24"), about: "What every program reads; quieter than any room." },
  "32f": { label: depthName("32f"), about: "Exactly what was computed; nothing can clip. Ask the receiver first." },
};

export const fileFormats: SettingWords<Sheet["format"] | "mp3"> = {
  wav: { label: "WAV", about: "Every program reads it; carries stamps, markers and loudness." },
  aiff: { label: "AIFF", about: "The same samples, for receivers who ask for it. Up to 4 GB a file." },
  flac: { label: "FLAC", about: "The same samples in about half the size. Whole numbers only, no float." },
  mp3: { label: "MP3", about: "To listen along, at 320 kbit/s; not for mixing." },
};

export const tails: SettingWords<Sheet["tail"]> = {
  measured: { label: "until silent", about: "Every file lasts until all of them have faded out." },
  fixed: { label: "seconds", about: "A fixed time after the end, even if a tail still sounds." },
  beats: { label: "beats", about: "A fixed number of beats after the end, even if a tail still sounds." },
  none: { label: "cut at the end", about: "Files stop where the range stops; a tail that still sounds is lost." },
};

export const ends: SettingWords<Sheet["ends"]> = {
  equal: { label: "equal", about: "All files are equally long: they line up at both ends." },
  trimmed: {
    label: "trimmed",
    about: "Each file ends with its own last sound: smaller. They still begin together.",
  },
};

export const mixFormats: SettingWords<Sheet["mixFormat"]> = {
  "as the stems": { label: "as the stems" },
  mp3: { label: "MP3", about: "Mixes as MP3 at 320 kbit/s, to listen along; stems stay as they are." },
};

/** A setting of session files: what its row is called, and its list, and what can be chosen. */
interface SessionFileSetting<T extends string> {
  readonly name: string;
  readonly label: string;
  readonly values: SettingWords<T>;
}

type Chosen = "print" | "printDepth" | "audio" | "media" | "stereo" | "curvedFades" | "mutedTracks" | "frameRate";

export const sessionFileSettings: { readonly [K in Chosen]: SessionFileSetting<SessionFile[K]> } = {
  print: {
    name: "Printed first",
    label: "Printed first",
    values: {
      nothing: {
        label: "only what it cannot hold",
        about: "Recordings stay clips. Instruments, stretched clips, nests and effects on clips are printed.",
      },
      devices: {
        label: "tracks with devices, after them",
        about: "What devices do is in the audio; faders, pans and automation stay to be moved.",
      },
      both: {
        label: "devices, with the raw track below",
        about: "Every printed track sounds; below it, muted, are its own clips.",
      },
      channels: {
        label: "every track, through its fader",
        about: "Fader, pan, mute and their automation are in the audio: one file a track, all from the beginning.",
      },
    },
  },
  printDepth: {
    name: "Prints are",
    label: "Depth of the prints",
    values: { "24": depths["24"], "32f": depths["32f"] },
  },
  audio: {
    name: "Audio",
    label: "Where the audio is",
    values: {
      inside: { label: "in the file", about: "One file that cannot lose its audio." },
      beside: {
        label: "in a folder beside it",
        about: "WAVs that can be opened by themselves; keep both together.",
      },
    },
  },
  media: {
    name: "Of recordings",
    label: "How much of recordings",
    values: {
      "whole files": { label: "whole recordings", about: "The receiver can open every clip up again." },
      "what is played": { label: "what is played", about: "Only that, with a margin on either side to fade with." },
    },
  },
  stereo: {
    name: "Stereo",
    label: "Stereo files",
    values: {
      "one file": { label: "one file of two channels", about: "What most music programs expect." },
      "two mono": { label: "two mono files", about: "A left and a right track each, as picture editors expect." },
    },
  },
  curvedFades: {
    name: "Curved fades",
    label: "Curved fades",
    values: {
      printed: {
        label: "printed into the audio",
        about: "Sounds the same; those fades are no longer to be moved.",
      },
      straight: {
        label: "straight fades instead",
        about: "They stay fades; what they sound like differs a little.",
      },
    },
  },
  mutedTracks: {
    name: "Muted tracks",
    label: "Muted tracks",
    values: {
      "left out": { label: "left out", about: "The file cannot say that a track is muted, so they are not in it." },
      sounding: { label: "kept, and sounding", about: "They are in it and sound until the receiver mutes them." },
    },
  },
  frameRate: {
    name: "Timecode",
    label: "Frames of picture a second",
    values: {
      "24": { label: "24 a second" },
      "25": { label: "25 a second" },
      "29.97": { label: "29.97 a second" },
      "29.97 drop": { label: "29.97 drop a second" },
      "30": { label: "30 a second" },
    },
  },
};

const printed: Readonly<Record<SessionFile["print"], string>> = {
  nothing: "clips as they are",
  devices: "devices printed",
  both: "devices printed, raw tracks muted below",
  channels: "every track printed through its fader",
};

/** How a session file is set, in one line. `isBeside`: its audio lies in a folder beside it. */
export const summaryOf = (file: SessionFile, isBeside: boolean): string =>
  [
    printed[file.print],
    ...(file.stereo === "two mono" ? ["two mono files a stereo one"] : []),
    ...(file.media === "what is played" ? [`what is played and ${file.handleSeconds} s around it`] : []),
    isBeside ? "audio beside it" : "audio in it",
  ].join(", ");
