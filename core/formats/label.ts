import type { Frames } from "../units";

/** What a file of any format says of itself beside its sound, as far as the format has a place for it. */
export interface Label {
  readonly title: string;
  /** The song it belongs to. */
  readonly song: string;
  /** Its place among the files of its song, from 1; 0: it has none. */
  readonly number: number;
  /** yyyy-mm-dd. */
  readonly date: string;
  /** At its first frame. */
  readonly bpm: number;
  /** Where its first frame stands on the song's timeline. */
  readonly timeReference: Frames;
  /** Places in it that have names, in order. */
  readonly marks: readonly { readonly frame: Frames; readonly text: string }[];
}

/** Text as ASCII: accents are left out, other characters become `?`. For formats that know no other. */
export const plainText = (text: string): string =>
  text
    .normalize("NFKD")
    .replace(/[\u0300-\u036f]/g, "")
    .replace(/[^\x20-\x7e]/g, "?");
