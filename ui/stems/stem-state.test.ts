import { describe, expect, test } from "vitest";
import type { Handoff } from "../../contract/handoff";
import { makeAudioClip, makeSession, makeTrack } from "../../core/session/build";
import type { Session } from "../../core/session/document";
import type { ExportPlan } from "../../core/delivery/plan";
import { planExport } from "../../core/delivery/plan";
import { fillSheet } from "../../core/delivery/sheet";
import { hashOf } from "../../core/testing/listen";
import { recordedAssets } from "../../core/testing/random-session";
import { stemStates } from "./stem-state";

const base = makeSession({
  name: "Cue",
  assets: recordedAssets,
  tracks: [
    ...["a", "b"].map((id) =>
      makeTrack({
        id,
        name: id.toUpperCase(),
        kind: "audio",
        clips: [makeAudioClip({ id: `c${id}`, asset: hashOf(1), start: 0, frames: 48000 })],
      }),
    ),
    makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
  ],
});
const session: Session = { ...base, sheet: fillSheet(base) };
const plan = (s: Session): ExportPlan => {
  const made = planExport(s);
  if (!made.ok) throw new Error("no plan");
  return made.value;
};

/** The export of a session as the proof would hold it; `silent` files have no level. */
function exported(s: Session, silent: readonly string[] = []): Handoff {
  const p = plan(s);
  const files = p.files.map((f) => ({
    name: f.fileName,
    title: f.title,
    fingerprint: f.fingerprint,
    format: f.format,
  }));
  const manifest = {
    rate: p.rate,
    depth: p.depth,
    range: { from: p.from, to: p.to, tail: p.tail },
    ends: p.ends,
    silence: { bars: p.leadBars },
    files,
  };
  return {
    manifest,
    proof: {
      manifest,
      files: files.map((f) => ({
        name: f.name,
        measures: { peakDb: silent.includes(f.title) ? null : -6.04, lufs: -20.06 },
      })),
    },
  } as unknown as Handoff;
}
const words = (s: Session, last: Handoff | null) => stemStates(s, plan(s), last).map((x) => x.word);
const louder = (id: string): Session => ({
  ...session,
  tracks: session.tracks.map((t) => (t.id === id ? { ...t, faderDb: -3 } : t)),
});

describe("a stem against the last export", () => {
  test("was never rendered, is fresh, or is silent", () => {
    expect(words(session, null)).toEqual(["never rendered", "never rendered", "never rendered"]);
    expect(words(session, exported(session))).toEqual(["fresh", "fresh", "fresh"]);
    expect(words(session, exported(session, ["B"]))).toEqual(["fresh", "silent", "fresh"]);
    expect(stemStates(session, plan(session), exported(session))[0]!.measures).toBe("−6.0 · −20.1");
  });

  test("is stale when its sound changed, and only then; the mix with it", () => {
    expect(words(louder("b"), exported(session))).toEqual(["fresh", "stale", "stale"]);
  });

  test("a new name alone leaves it fresh; other settings make everything stale", () => {
    const renamed = {
      ...session,
      sheet: { ...session.sheet, rows: session.sheet.rows.map((r) => ({ ...r, name: `${r.name} new` })) },
    };
    expect(words(renamed, exported(session))).toEqual(["fresh", "fresh", "fresh"]);
    for (const patch of [
      { depth: "16" as const },
      { rate: 96000 as const },
      { to: 960 },
      { tail: "none" as const },
      { format: "flac" as const, mixFormat: "as the stems" as const },
      { ends: "trimmed" as const },
      { leadInBars: 1 },
    ]) {
      expect(new Set(words({ ...session, sheet: { ...session.sheet, ...patch } }, exported(session)))).toEqual(
        new Set(["stale"]),
      );
    }
  });
});
