import { filledIn } from "../chips";
import type { Session } from "../session/document";
import { trackOf } from "../session/routing";
import { meterMap } from "../time/meter";
import type { TempoMap } from "../time/tempo";
import { phraseOf } from "./members/family";
import type { Piece } from "./pieces";
import type { PrintTap, Slip } from "./slip";
import { shownName } from "../session/names";

/** What a name can say of a print, as it stands in braces in a slip's `name`. */
export const PRINT_CHIPS = ["track", "clip", "phrase", "tap", "session", "tempo", "bar", "date", "number"] as const;
export type PrintChip = (typeof PRINT_CHIPS)[number];

const TAP_WORDS: Record<PrintTap, string> = {
  clip: "clips",
  devices: "devices",
  channel: "channel",
  group: "groups",
  mix: "mix",
};

interface Naming {
  readonly session: Session;
  readonly slip: Slip;
  /** Of the print, as 2026-11-28; empty where it is not known yet. */
  readonly day: string;
  readonly tempo: TempoMap;
}

const LONGEST = 200;

/** Names of a slip's files, one for each piece. Where two would be called the same, they are numbered. */
export function namesOf(naming: Naming, pieces: readonly Piece[]): readonly string[] {
  const said = pieces.map((piece, i) => oneName(naming, piece, i));
  const times = new Map<string, number>();
  for (const name of said) times.set(name, (times.get(name) ?? 0) + 1);
  const seen = new Map<string, number>();
  return said.map((name) => {
    if (times.get(name) === 1) return name.slice(0, LONGEST);
    const n = (seen.get(name) ?? 0) + 1;
    seen.set(name, n);
    return `${name.slice(0, LONGEST - 6)} ${n}`;
  });
}

function oneName({ session, slip, day, tempo }: Naming, piece: Piece, index: number): string {
  // A print of a print is not called "print print".
  const isPrint = slip.name.startsWith("{track} print");
  const names = piece.sources
    .map((id) => shownName(trackOf(session, id)))
    .map((name) => (isPrint ? name.replace(/ print( \d+)?$/, "") : name));
  const track = names.length <= 2 ? names.join(" and ") : `${names[0] ?? ""} and ${names.length - 1} more`;
  const clips = (piece.alone ?? trackOf(session, piece.sources[0] ?? "")).clips;
  const notes = clips.find((c) => c.kind === "notes");
  const phrase = phraseOf(slip) ?? (notes?.kind === "notes" ? notes.phrase : null);
  const tick = tempo.toTicks(piece.from);
  const chips: Record<PrintChip, string> = {
    track: track,
    clip: clips[0]?.name || track,
    phrase: session.phrases.find((p) => p.id === phrase)?.name || track,
    tap: slip.before === null ? TAP_WORDS[slip.tap] : "raw",
    session: session.name,
    tempo: `${Number(tempo.bpmAt(tick).toFixed(2))} bpm`,
    bar: `bar ${meterMap(session.meter, session.leadIn).position(tick).bar}`,
    date: day,
    number: String(index + 1).padStart(2, "0"),
  };
  return filledIn(slip.name, chips) || `${track} print`;
}
