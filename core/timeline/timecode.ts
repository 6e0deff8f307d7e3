import type { FrameRate } from "./timeline";

const two = (n: number): string => String(n).padStart(2, "0");

/**
 * Hours, minutes, seconds and frames of picture as timecode counts them; where numbers are dropped, the first two of
 * every minute but each tenth are. SMPTE ST 12-1, 5.2.
 */
export function timecodeText(pictures: number, { numerator, denominator, isDrop }: FrameRate): string {
  const perSecond = Math.round(numerator / denominator);
  let count = pictures;
  if (isDrop) {
    const perMinute = 60 * perSecond - 2;
    const perTen = 10 * perMinute + 2;
    const tens = Math.floor(pictures / perTen);
    const rest = pictures % perTen;
    count += 18 * tens + (rest > 1 ? 2 * Math.floor((rest - 2) / perMinute) : 0);
  }
  const seconds = Math.floor(count / perSecond);
  const frames = two(count % perSecond);
  return `${two(Math.floor(seconds / 3600))}:${two(Math.floor(seconds / 60) % 60)}:${two(seconds % 60)}${isDrop ? ";" : ":"}${frames}`;
}

/** The frames of picture that a timecode stands for, the other way round. */
export function picturesOf(
  hours: number,
  minutes: number,
  seconds: number,
  pictures: number,
  { numerator, denominator, isDrop }: FrameRate,
): number {
  const perSecond = Math.round(numerator / denominator);
  const all = ((hours * 60 + minutes) * 60 + seconds) * perSecond + pictures;
  const total = hours * 60 + minutes;
  return isDrop ? all - 2 * (total - Math.floor(total / 10)) : all;
}
