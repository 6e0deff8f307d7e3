import type { Job } from "../../contract/job";

const MARKS = {
  right: "The package is proven right.",
  look: "The package is proven right, with something to look at: see its proof.",
  wrong: "The package is not right: see its proof before you send it.",
} as const;

/** What is said on every screen when work that somebody asked for is done; null where it shows by itself. */
export function doneNotice({ result }: Job): string | null {
  switch (result?.kind) {
    case "export":
      return "The package is made, and waits on Handoff. Its proof follows.";
    case "prove":
      return MARKS[result.mark];
    case "bring back":
      return `${result.files === 1 ? "1 file is" : `${result.files} files are`} back in the session, muted, where they came from.`;
    case "supply": {
      const { supplied, missing, left } = result;
      const there =
        supplied.length === 1 ? `${supplied[0] ?? ""} is there now.` : `${supplied.length} files are there now.`;
      const aside = left.map(({ name, why }) => `${name}: ${why}.`);
      return [there, ...(missing > 0 ? [`Still missing: ${missing}.`] : []), ...aside.slice(0, 2)].join(" ");
    }
    default:
      return null;
  }
}
