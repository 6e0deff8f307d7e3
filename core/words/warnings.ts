import type { PrintWarning } from "../printing/print";
import type { Reason } from "../printing/reasons";
import { sayReason } from "./reasons";

type Kind = PrintWarning["kind"];
type Of<K extends Kind> = Extract<PrintWarning, { readonly kind: K }>;

interface Said {
  readonly what: string;
  /** On the button that mends it; null where nothing does. */
  readonly fix: string | null;
}

const FIXES: Partial<Record<Reason["kind"], string>> = {
  "faders after the tap": "Tap after the faders",
  "different groups": "Tap after the groups",
  "sends of the tracks": "Print with its returns",
  "sends along the way": "Print with its returns",
  "no tail": "Keep the tail",
};

const sentences: { readonly [K in Kind]: (warning: Of<K>) => Said } = {
  muted: ({ track }) => ({ what: `${track} is muted: its print would be silent.`, fix: "Unmute it" }),
  absent: ({ device, track }) => ({
    what: `${device} on ${track} is not installed: the print will not have it.`,
    fix: "Switch it off",
  }),
  "mix chain": () => ({ what: "The mix chain is printed into it.", fix: "Tap before the chain" }),
  "passes twice": () => ({
    what: "It has passed the mix chain: played there again it would pass it twice. The print is placed muted.",
    fix: null,
  }),
  "parked inside": ({ tracks }) => ({
    what: `${tracks.join(", ")} ${tracks.length === 1 ? "is parked, and is" : "are parked, and are"} not in it.`,
    fix: tracks.length === 1 ? "Unpark it" : "Unpark them",
  }),
  "muted inside": ({ tracks }) => ({
    what: `${tracks.join(", ")} ${tracks.length === 1 ? "is muted, and is" : "are muted, and are"} not in it.`,
    fix: tracks.length === 1 ? "Unmute it" : "Unmute them",
  }),
  "both would sound": () => ({
    what: "Both would sound: the print is placed muted.",
    fix: "Park the source instead",
  }),
  "parks the rest": () => ({
    what: "Parking the source silences the rest of it, too.",
    fix: "Clear only the range",
  }),
  "stale freezes": ({ tracks }) => ({
    what: `${tracks.join(", ")} ${tracks.length === 1 ? "plays a stale freeze, which is" : "play stale freezes, which are"} what would be printed.`,
    fix: "Print the live source",
  }),
  "in both prints": ({ track, group }) => ({
    what: `${track} runs into ${group}: its sound would be in both prints.`,
    fix: `Leave ${track} out`,
  }),
  stray: ({ clip }) => ({
    what: `${clip} lies far behind everything else and makes the print as long as it is.`,
    fix: "End before it",
  }),
  ridden: ({ controls }) => ({
    what: `What was ridden in the live pass moves in it: ${controls} ${controls === 1 ? "control" : "controls"}.`,
    fix: "Forget it",
  }),
  soloed: () => ({ what: "Solo is for listening only: it changes nothing of a print.", fix: null }),
  "nothing there": ({ tracks }) => ({
    what: `Nothing of ${tracks.join(", ")} lies in the range: ${tracks.length === 1 ? "it gets no file" : "they get no files"}.`,
    fix: null,
  }),
  differs: ({ reason, certain }) => ({
    what: certain
      ? `It will not sound exactly the same: ${sayReason(reason)}.`
      : `It may not sound exactly the same: ${sayReason(reason)}. The difference is measured.`,
    fix: FIXES[reason.kind] ?? null,
  }),
};

/** What is probably not meant by a slip, and what is written on what mends it. */
export const sayWarning = <K extends Kind>(warning: Of<K>): Said =>
  (sentences[warning.kind as K] as (warning: Of<K>) => Said)(warning);
