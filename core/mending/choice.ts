import isEqual from "fast-deep-equal";
import type { Judged, Mend, SetFinding } from "./set";
import { unmended } from "./unmended";

/** What of a file's mend answers a finding; null: nothing does, or it is done to every file anyway. */
export function mendOf(finding: SetFinding): Exclude<keyof Mend, "path" | "name"> | null {
  switch (finding.kind) {
    case "shifted":
      return "shift";
    case "padded":
      return finding.front ? "shift" : null;
    case "swapped sides":
      return "swap";
    case "inverted":
      return "invert";
    case "gain":
      return "gainDb";
    case "drift":
      return "drift";
    case "mono as stereo":
      return "mono";
    case "doubled":
    case "not in the mix":
      return "leaveOut";
    default:
      return null;
  }
}

/** Whether anything is done to the files of a set. */
export const isRepaired = ({ mends }: Judged): boolean =>
  mends.some((mend) => !isEqual(mend, unmended(mend.path, mend.name)));

/**
 * A judged set with the mends that a person wants. `without`: findings, by their place in the list, that are to stay as
 * they are; `names`: what files are to be called, by their paths.
 */
export function chosenMends(judged: Judged, without: ReadonlySet<number>, names: ReadonlyMap<string, string>): Judged {
  return {
    ...judged,
    mends: judged.mends.map((mend): Mend => {
      const name = names.get(mend.path)?.trim() ?? "";
      let made: Mend = name === "" ? mend : { ...mend, name };
      judged.findings.forEach((finding, i) => {
        const field = "file" in finding && finding.file === mend.path && without.has(i) ? mendOf(finding) : null;
        if (field !== null) made = { ...made, [field]: unmended(mend.path, mend.name)[field] };
      });
      return made;
    }),
  };
}
