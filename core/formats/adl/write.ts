import type { Timeline, TimelineClip, TimelineMedia, TimelineTrack } from "../../timeline/timeline";
import { FRAME_RATES } from "../../timeline/timeline";
import { picturesText, tcf } from "./tcf";
import { urlOfPath } from "../paths/url";

/** Identifies the structure of the list. AES31-3, VERSION. */
const ADL_ID = "06,64,43,52,01,01,01,04,01,02,03,04";

/**
 * A timeline as an audio decision list: plain text in sections, an entry a clip, times in timecode with the samples
 * inside its frame. A track of two channels takes two of the list's. `uid` names this list. Throws `RangeError` where a
 * frame of picture is no whole number of samples. AES31-3.
 */
export function writeAdl(timeline: Timeline, uid: string): string {
  const { name, rate, startFrames, tracks } = timeline;
  const frameRate = timeline.frameRate ?? FRAME_RATES["25"];
  const time = (frames: number) => tcf(frames, rate, frameRate);
  const numbers = numbered(tracks);
  const media = new Map(timeline.media.map((m, i) => [m.id, { media: m, index: i + 1 }]));
  const end = tracks.flatMap((t) => t.clips).reduce((last, c) => Math.max(last, c.start + c.frames), 0);
  let entry = 0;
  const clip = (c: TimelineClip, track: TimelineTrack): readonly string[] => {
    const file = media.get(c.media);
    if (!file) throw new RangeError(`there is no file ${c.media}`);
    const first = numbers.get(track.id) ?? 1;
    const channels = c.channel === null ? range(1, file.media.channels) : range(c.channel + 1, 1);
    const from = (file.media.timeReference ?? 0) + c.offset;
    const times = [time(from), time(startFrames + c.start), time(startFrames + c.start + c.frames)].join("\t");
    return [
      `(Entry)\t${four(++entry)}`,
      `\t(Cut)\tI\t${four(file.index)}\t${channels}\t${range(first, track.channels)}\t${times}\tR`,
      ...(c.fadeIn.frames > 0 ? [`\t(Infade)\t${time(c.fadeIn.frames)}\tLIN\t_\t_\t_`] : []),
      ...(c.fadeOut.frames > 0 ? [`\t(Outfade)\t${time(c.fadeOut.frames)}\tLIN\t_\t_\t_`] : []),
      ...(c.gainDb !== 0 ? [`\t(Gain)\t_\t${decibels(c.gainDb)}`] : []),
      `\t(Rem)\tNAME\t${quoted(c.name)}`,
    ];
  };
  const index = ({ media: m, index: i }: { readonly media: TimelineMedia; readonly index: number }): string => {
    const url = `URL:file://localhost/${urlOfPath(m.path ?? m.name)}`;
    return `(Index)\t${four(i)}\t(F)\t"${url}"\t_\t${time(m.timeReference ?? 0)}\t${time(m.frames)}\t${quoted(m.name)}\tN`;
  };
  const lines = [
    "<ADL>",
    ...section("VERSION", [
      `(ADL_ID)\t"${ADL_ID}"`,
      `(ADL_UID)\t${quoted(uid)}`,
      `(VER_ADL_VERSION)\t"01.01"`,
      `(VER_CREATOR)\t"Stemzo"`,
      `(VER_CRTR_VERSION)\t"1"`,
    ]),
    ...section("PROJECT", [`(PROJ_TITLE)\t${quoted(name)}`, `(PROJ_ORIGINATOR)\t""`, `(PROJ_NOTES)\t""`]),
    ...section("SYSTEM", [`(SYS_SRC_OFFSET)\t${time(0)}`, `(SYS_XFADE_LENGTH)\t${time(0)}`, `(SYS_GAIN)\t0.00`]),
    ...section("SEQUENCE", [
      `(SEQ_SAMPLE_RATE)\tS${rate}`,
      `(SEQ_FRAME_RATE)\t${picturesText(frameRate)}`,
      `(SEQ_ADL_LEVEL)\t1`,
      `(SEQ_CLEAN)\tTRUE`,
      `(SEQ_SORT)\t0`,
      `(SEQ_MULTICHAN)\tTRUE`,
      `(SEQ_DEST_START)\t${time(startFrames)}`,
      `(SEQ_DEST_END)\t${time(startFrames + end)}`,
    ]),
    ...section(
      "TRACKLIST",
      tracks.flatMap((t) => {
        const first = numbers.get(t.id) ?? 1;
        return Array.from({ length: t.channels }, (_, k) => `(Track)\t${first + k}\t${quoted(t.name)}`);
      }),
    ),
    ...section("SOURCE_INDEX", [...media.values()].map(index)),
    ...section(
      "EVENT_LIST",
      tracks.flatMap((t) => t.clips.flatMap((c) => clip(c, t))),
    ),
    "</ADL>",
  ];
  return `${lines.join("\r\n")}\r\n`;
}

const section = (name: string, lines: readonly string[]): readonly string[] => [
  `<${name}>`,
  ...lines.map((l) => `\t${l}`),
  `</${name}>`,
];

const four = (n: number): string => String(n).padStart(4, "0");
const range = (first: number, count: number): string => (count === 1 ? `${first}` : `${first}~${first + count - 1}`);
/** A string ends with the next quote, so there is none in it. */
const quoted = (text: string): string => `"${adlText(text)}"`;
/** Text as the list can say it: on one line, without double quotes. */
export const adlText = (text: string): string => text.replaceAll('"', "'").replace(/[\u0000-\u001f\u007f]/g, " ");
/** As many digits as give the very level back. */
const decibels = (db: number): string =>
  Math.abs(db * 100 - Math.round(db * 100)) < 1e-9 ? db.toFixed(2) : String(db);

/** The first of each track's numbers in the list. */
function numbered(tracks: readonly TimelineTrack[]): ReadonlyMap<string, number> {
  const numbers = new Map<string, number>();
  let next = 1;
  for (const t of tracks) {
    numbers.set(t.id, next);
    next += t.channels;
  }
  return numbers;
}
