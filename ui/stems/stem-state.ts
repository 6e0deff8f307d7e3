import type { Handoff } from "../../contract/handoff";
import { TWICE_LU } from "../../core/analysis/measure";
import type { Session } from "../../core/session/document";
import { stemRows } from "../../core/delivery/sheet";
import type { ExportPlan } from "../../core/delivery/plan";
import { formatNumber } from "../../core/words/numbers";

/** How a stem stands against the last export. */
export interface StemState {
  readonly word: "fresh" | "stale" | "never rendered" | "silent";
  /** `−12.3 · −24.1` as last measured. */
  readonly measures: string | null;
  /** Of a mono file: how loud it is where it plays in the middle, as the mix hears it. */
  readonly middle?: string;
}

/**
 * States of all planned files, the reference mix last. A file is fresh when the last export holds the same sound under
 * the same settings.
 */
export function stemStates(session: Session, plan: ExportPlan | null, last: Handoff | null): readonly StemState[] {
  if (!plan) return stemRows(session).map(() => ({ word: "never rendered", measures: null }));
  const manifest = last?.manifest ?? null;
  const files = last?.proof?.files ?? [];
  const sameSettings =
    manifest !== null &&
    manifest.rate === plan.rate &&
    manifest.depth === plan.depth &&
    manifest.range.from === plan.from &&
    manifest.range.to === plan.to &&
    manifest.range.tail === plan.tail &&
    manifest.ends === plan.ends &&
    manifest.silence.bars === plan.leadBars;
  return plan.files.map((planned): StemState => {
    // Two stems may sound alike, and one may have been renamed.
    const alike = manifest?.files.filter((f) => f.fingerprint === planned.fingerprint) ?? [];
    const delivered =
      alike.find((f) => f.title === planned.title) ??
      alike[0] ??
      manifest?.files.find((f) => f.title === planned.title);
    if (!delivered) return { word: "never rendered", measures: null };
    const { measures, channels } = files.find((f) => f.name === delivered.name) ?? {};
    const middle =
      channels === 1 && measures && measures.lufs !== null
        ? {
            middle: `${formatNumber(measures.lufs, 1)} LUFS of its one channel; ${formatNumber(measures.lufs + TWICE_LU, 1)} as played in the middle`,
          }
        : {};
    const text =
      !measures || measures.peakDb === null
        ? null
        : `${formatNumber(measures.peakDb, 1)} · ${measures.lufs === null ? "–" : formatNumber(measures.lufs, 1)}`;
    if (!sameSettings || delivered.fingerprint !== planned.fingerprint || delivered.format !== planned.format)
      return { word: "stale", measures: text, ...middle };
    return { word: measures?.peakDb === null ? "silent" : "fresh", measures: text, ...middle };
  });
}
