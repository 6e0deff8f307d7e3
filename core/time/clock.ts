import type { Seconds } from "../units";

/** `2:14.500`: minutes, seconds, milliseconds. */
export function formatClock(seconds: Seconds): string {
  const millis = Math.max(0, Math.round(seconds * 1000));
  const minutes = Math.floor(millis / 60000);
  const rest = millis - minutes * 60000;
  return `${minutes}:${String(Math.floor(rest / 1000)).padStart(2, "0")}.${String(rest % 1000).padStart(3, "0")}`;
}
