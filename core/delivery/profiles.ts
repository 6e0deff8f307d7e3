import type { z } from "zod";
import type { Chip, Frozen, Session, Sheet, StemRow } from "../session/document";
import { chip } from "../session/plain-names";
import { plainSessionFile } from "../session/plain-session-file";
import type { Edit, Step } from "../session/edits";
import type { profileBodySchema } from "./profile-schema";
import { isOfReturns, onRows, stemRows } from "./sheet";

export type ProfileBody = Frozen<z.infer<typeof profileBodySchema>>;
export interface Profile {
  readonly name: string;
  readonly body: ProfileBody;
}

const folder = (what: string, ...more: readonly Chip[]): readonly Chip[] => [
  chip("song"),
  chip("text", "-"),
  chip("text", what),
  ...more,
];
const plain: ProfileBody["sheet"] = {
  tail: "measured",
  tailSeconds: 2,
  tailBeats: 4,
  ends: "equal",
  leadInBars: 0,
  rate: null,
  depth: "24",
  dither: true,
  format: "wav",
  mixes: ["after its chain"],
  mixFormat: "as the stems",
  folderName: folder("Stems", chip("text", "-"), chip("tempo")),
  fileName: [chip("number"), chip("stem")],
  sessionFiles: [],
};
const rows = { tap: "group", returns: false, linked: true, channels: "as it is" } as const;

/** Profiles that everybody has. Whom each is for, and what that person does with what they get, decides all of it. */
export const profiles: readonly Profile[] = [
  {
    name: "Mix engineer",
    body: {
      about: "Every track through its group, returns as files of their own: the faders at zero give your mix.",
      sheet: plain,
      rows,
    },
  },
  {
    name: "Mastering",
    body: {
      about: "Stems through the mix's chain that add up to the mix as you hear it, float, with that mix beside them.",
      sheet: { ...plain, depth: "32f", folderName: folder("For mastering") },
      rows: { ...rows, tap: "mix", returns: true },
    },
  },
  {
    name: "Remix",
    body: {
      about: "Every track with its own returns in it, two bars of silence in front, tempo in every name.",
      sheet: {
        ...plain,
        leadInBars: 2,
        mixFormat: "mp3",
        folderName: folder("Remix parts", chip("text", "-"), chip("tempo"), chip("key")),
        fileName: [chip("stem"), chip("tempo"), chip("key")],
      },
      rows: { ...rows, returns: true },
    },
  },
  {
    name: "Co-producer",
    body: {
      about: "Every track dry after its own devices, and the session as DAWproject and MIDI: to go on working with.",
      sheet: {
        ...plain,
        format: "flac",
        mixFormat: "mp3",
        folderName: folder("Tracks", chip("version")),
        sessionFiles: [plainSessionFile("dawproject"), plainSessionFile("midi")],
      },
      rows: { ...rows, tap: "devices", linked: false },
    },
  },
  {
    name: "Picture",
    body: {
      about: "48 kHz, every file stereo and equally long, returns in the stems, an AAF beside them, version and date.",
      sheet: {
        ...plain,
        rate: 48000,
        folderName: folder("For picture", chip("version"), chip("date")),
        sessionFiles: [plainSessionFile("aaf")],
      },
      rows: { ...rows, returns: true, channels: "stereo" },
    },
  },
  {
    name: "Archive",
    body: {
      about:
        "Float, as it was computed, both mixes and the whole session beside the stems, to be opened in twenty years.",
      sheet: {
        ...plain,
        depth: "32f",
        mixes: ["after its chain", "before its chain"],
        folderName: folder("Archive", chip("date")),
        sessionFiles: [plainSessionFile("bundle")],
      },
      rows,
    },
  },
];

/**
 * Fills a session's sheet for a receiver: how every row is taken, and what the files are. Returns that are in the stems
 * are not delivered alone as well. One step, to be undone.
 */
export function applyProfile(session: Session, { name, body }: Profile): Step {
  const written = stemRows(session);
  const { sheet } = body;
  const rowEdit = (row: StemRow): Edit => {
    const isReturn = isOfReturns(session, row);
    const returns = body.rows.returns && !isReturn;
    const patch = { ...body.rows, returns, ticked: !(isReturn && body.rows.returns) };
    return { do: "set", in: "rows", id: row.id, patch };
  };
  const patch = {
    ...sheet,
    mixes: [...sheet.mixes],
    folderName: sheet.folderName.map((c) => ({ ...c })),
    fileName: sheet.fileName.map((c) => ({ ...c })),
    sessionFiles: sheet.sessionFiles.map((f) => ({ ...f })),
    receiver: name,
  };
  return onRows(session, {
    label: `Fill the sheet for ${name}`,
    edits: [...written.map(rowEdit), { do: "set sheet", patch }],
  });
}

/** A sheet's settings as a profile of one's own; what rows are is taken from the first that is no return. */
export function profileOf(session: Session, about: string): ProfileBody {
  const all = stemRows(session);
  const first = all.find((row) => !isOfReturns(session, row)) ?? all[0] ?? rows;
  const sheet = Object.fromEntries(Object.keys(plain).map((field) => [field, session.sheet[field as keyof Sheet]]));
  return {
    about,
    sheet: sheet as unknown as ProfileBody["sheet"],
    rows: { tap: first.tap, returns: first.returns, linked: first.linked, channels: first.channels },
  };
}
