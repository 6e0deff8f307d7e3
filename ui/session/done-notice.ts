import type { Job } from "../../contract/job";

const MARKS = {
  right: "The package is proven right.",
  look: "The package is proven right, with something to look at: see its proof.",
  wrong: "The package is not right: see its proof before you send it.",
} as const;

/** What is said on every screen when work that was asked for is done; null where it shows by itself. */
export function doneNotice({ result }: Job): string | null {
  if (result && "silent" in result && result.silent.length > 0)
    return result.silent.map(({ name, reason }) => `"${name}" is silent and was left out: ${reason}.`).join(" ");
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
    case "put instrument": {
      const aside = result.lost.map(({ what }) => `${what}.`);
      const [first, ...more] = result.put;
      const what =
        more.length > 0
          ? `${result.put.length} tracks have their instruments.`
          : first
            ? `${first.name} is on its track.`
            : "No track was left to put it on.";
      return [what, ...aside.slice(0, 2)].join(" ");
    }
    default:
      return null;
  }
}

/** What is said only where it cannot be seen: on the Bench its foot tells it. */
export function doneElsewhere({ result }: Job, nameOf: (track: string) => string): string | null {
  const count = (n: number, one: string, more: string) => (n === 1 ? one : `${n} ${more}`);
  switch (result?.kind) {
    case "print": {
      const [first] = result.prints;
      const what = count(result.prints.length, `${first?.name ?? "The print"} is`, "prints are");
      const [track] = result.made.tracks;
      return `${what} made, ${track === undefined ? "on the shelf" : `on ${nameOf(track) || "a new track"}`}.`;
    }
    case "freeze":
      return `${count(result.prints.length, `${nameOf(result.prints[0]?.track ?? "") || "The track"} is`, "tracks are")} frozen.`;
    case "refresh":
      return `${count(result.prints.length, "The print is", "prints are")} as their sources are now.`;
    default:
      return null;
  }
}
