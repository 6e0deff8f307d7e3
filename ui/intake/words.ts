import type { Candidate, CandidateKind } from "../../contract/intake";
import type { ResultOf } from "../../contract/job-kinds";
import { formatNumber } from "../../core/words/numbers";
import { dayText } from "../parts/dates";
import type { Loss } from "../../core/timeline/loss";
import { reportOf } from "../../core/timeline/report";
import { FATE_HEADINGS, sayLoss } from "../../core/words/losses";

/** What each kind of candidate is called, and what opening it gives. */
export const KIND_WORDS: Readonly<Record<CandidateKind, { readonly name: string; readonly about: string }>> = {
  bundle: { name: "Stemzo bundle", about: "The whole session as it was, with prints and recipes." },
  dawproject: { name: "DAWproject", about: "Tracks, groups, sends, automation, notes and tempo." },
  aaf: { name: "AAF", about: "Clips with fades, gains and track volume." },
  otio: { name: "OpenTimelineIO", about: "Clips and crossfades on an open timeline." },
  adl: { name: "AES31 list", about: "Every clip to the sample." },
  midi: { name: "MIDI file", about: "Notes, tempo, meter and markers." },
  package: { name: "Stems of a package", about: "Laid out by its manifest, all from one start." },
  files: { name: "The files themselves", about: "Each on a track of its own, at its stamp." },
};

/** `3:12`, `1:02:03`; tenths where it is shorter than ten seconds. */
export function shortClock(seconds: number): string {
  if (seconds < 10 && !Number.isInteger(seconds)) return `0:0${seconds.toFixed(1)}`;
  const whole = Math.round(seconds);
  const [h, m, s] = [Math.floor(whole / 3600), Math.floor(whole / 60) % 60, whole % 60];
  const two = (n: number) => String(n).padStart(2, "0");
  return h > 0 ? `${h}:${two(m)}:${two(s)}` : `${m}:${two(s)}`;
}

const plural = (n: number, one: string) => `${n} ${n === 1 ? one : `${one}s`}`;

/** `12 tracks · 34 clips · 3:12`. */
export function contentsOf(candidate: Candidate): string {
  const clips = candidate.tracks.reduce((n, t) => n + t.clips, 0);
  const notes = candidate.tracks.reduce((n, t) => n + t.notes, 0);
  return [
    plural(candidate.tracks.length, "track"),
    ...(clips > 0 ? [plural(clips, "clip")] : []),
    ...(notes > 0 ? [plural(notes, "note")] : []),
    ...(candidate.frames > 0 ? [shortClock(candidate.frames / candidate.rate)] : []),
  ].join(" · ");
}

export const missingOf = (candidate: Candidate) =>
  candidate.media.filter((m) => m.state !== "found" && m.state !== "inside");

/** What came back, and how it lies to what was sent. */
export function answersText(answers: ResultOf<"take in">["answers"]): string {
  return answers
    .slice(0, 4)
    .map(({ name, title, sentAt, aligned }) => {
      const day = `"${title}" of ${dayText(sentAt)}`;
      if (!aligned) return `"${name}" stands where ${day} stood; it is not like it, so it is unknown how they line up.`;
      const by = Math.abs(aligned.shift);
      const place =
        by === 0
          ? "to the sample"
          : `${by.toLocaleString("en")} ${by === 1 ? "sample" : "samples"} ${aligned.shift > 0 ? "early" : "late"}, and was moved`;
      const louder =
        Math.abs(aligned.gainDb) < 0.1
          ? "as loud"
          : `${formatNumber(Math.abs(aligned.gainDb), 1)} dB ${aligned.gainDb > 0 ? "louder" : "quieter"}`;
      return `"${name}" answers ${day}: ${by === 0 ? `in place ${place}` : place}; ${louder}. It is muted.`;
    })
    .join("\n");
}

/** What of an opened file is not in the session as it was there, a line for each; null: all of it is. */
export function lossesText(
  losses: ResultOf<"take in">["losses"],
): { readonly title: string; readonly description: string } | null {
  const lines = reportOf(losses as readonly Loss[]);
  if (lines.length === 0) return null;
  const fates = [...new Set(lines.map((l) => l.fate))];
  const said = fates.map((fate) => {
    const of = lines.filter((l) => l.fate === fate);
    const shown = of.slice(0, SHOWN).map((line) => {
      const { what, more } = sayLoss(line);
      return `${what}${more === "" ? "" : ` · ${more}`}`;
    });
    const rest = of.length > SHOWN ? [`and ${of.length - SHOWN} more`] : [];
    return [`${FATE_HEADINGS[fate]}:`, ...shown, ...rest].join("\n");
  });
  return { title: "Opened. Some of it is not as in the file.", description: said.join("\n") };
}
/** Lines of one fate in a notice; all of them stand in the report before opening. */
const SHOWN = 5;
