import type { TimelineDifference } from "../interchange/compare";

/** How a session file that was read back differs from the session, in words. */
export function sayDifference(difference: TimelineDifference): string {
  switch (difference.kind) {
    case "tracks":
      return `it has ${difference.read} tracks in place of ${difference.told}`;
    case "markers":
      return "its markers stand elsewhere";
    case "clips":
      return `"${difference.track}" has ${difference.read} clips in place of ${difference.told}`;
    case "clip":
      return `clip ${difference.clip} of "${difference.track}" is not as in the session`;
    case "notes":
      return `notes of "${difference.track}" are not as in the session`;
  }
}
