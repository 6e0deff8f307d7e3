import type { FrameRate } from "../../timeline/timeline";
import { FRAME_RATES } from "../../timeline/timeline";
import { picturesOf, timecodeText } from "../../timeline/timecode";
import { MalformedFile } from "../bytes/bytes";

/**
 * A place as the list tells it: timecode, and the samples from the beginning of its frame on, `00:00:00:00/0000`.
 * Where a frame of picture is no whole number of samples it begins with the nearest one: at 48 kHz and 29.97 they last
 * 1602, 1601, 1602, 1601 and 1602 samples in turn (SMPTE ST 299-1). AES31-3, time-code character format.
 */
export function tcf(frames: number, rate: number, frameRate: FrameRate): string {
  const each = (rate * frameRate.denominator) / frameRate.numerator;
  let pictures = Math.floor(frames / each);
  if (Math.round((pictures + 1) * each) <= frames) pictures++;
  else if (Math.round(pictures * each) > frames) pictures--;
  return `${timecodeText(pictures, frameRate)}/${String(frames - Math.round(pictures * each)).padStart(4, "0")}`;
}

const TCF = /^(\d{1,3})[^\d](\d{1,2})[^\d](\d{1,2})[^\d](\d{1,2})(?:[^\d](\d{1,5}))?$/;

/** The frame of sound that is meant. Throws `MalformedFile` with the line. */
export function frameOfTcf(text: string, rate: number, frameRate: FrameRate, line: number): number {
  const parts = TCF.exec(text)
    ?.slice(1)
    .map((p) => (p === undefined ? 0 : Number(p)));
  const [hours, minutes, seconds, pictures, samples] = parts ?? [];
  if (hours === undefined || minutes === undefined || seconds === undefined || pictures === undefined)
    throw new MalformedFile(`"${text.slice(0, 40)}" in line ${line} is no time of the list`);
  const each = (rate * frameRate.denominator) / frameRate.numerator;
  return Math.round(picturesOf(hours, minutes, seconds, pictures, frameRate) * each) + (samples ?? 0);
}

/** A frame rate by name. */
export const picturesText = ({ numerator, denominator, isDrop }: FrameRate): string =>
  denominator === 1 ? String(numerator) : `${(numerator / denominator).toFixed(2)}${isDrop ? "DF" : ""}`;

/** The frame rate of a name; null where it is not known. */
export function frameRateOf(text: string): FrameRate | null {
  const value = Number.parseFloat(text.replace(/^[^\d]*/, ""));
  const isDrop = /DF|DROP/i.test(text);
  const found = Object.values(FRAME_RATES).find(
    (r) => Math.abs(r.numerator / r.denominator - value) < 0.02 && r.isDrop === isDrop,
  );
  return found ?? null;
}
