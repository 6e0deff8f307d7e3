import { describe, expect, it } from "vitest";
import { screenActions } from "../actions/screen-actions";
import { sessionActions } from "../actions/session-actions";
import { session } from "../testing/bench-session";
import { printActions } from "./print-actions";
import { verbsOf } from "./verbs";

const labels = (selected: readonly string[], document = session) => verbsOf(document, selected).map((v) => v.label);
const frozen = { asset: session.assets[0]!.id, fingerprint: "other" };
const withTrack = (id: string, patch: object) => ({
  ...session,
  tracks: session.tracks.map((t) => (t.id === id ? { ...t, ...patch } : t)),
});

describe("the verbs at the foot", () => {
  it("are those of the session while nothing is selected", () => {
    expect(labels([])).toEqual(["Bounce the mix", "Export stems", "Deliver"]);
  });
  it("are those of the tracks that are selected", () => {
    expect(labels(["a"])).toEqual(["Freeze", "Commit", "Consolidate", "Bounce", "Print…"]);
    expect(labels(["a", "g"])).toEqual(["Freeze", "Commit", "Consolidate", "Bounce", "Print…"]);
    expect(labels(["g"])).toEqual(["Bounce", "Print…"]);
    expect(labels(["mix"])).toEqual(["Bounce the mix", "Print…"]);
    expect(labels(["a"], withTrack("a", { parked: true }))).toEqual(["Unpark"]);
    // A stale freeze can be made again or taken back.
    expect(labels(["a"], withTrack("a", { frozen }))).toEqual([
      "Freeze",
      "Commit",
      "Unfreeze",
      "Consolidate",
      "Bounce",
      "Print…",
    ]);
  });
  it("are actions, each with a line that fits under its name", () => {
    const known = new Set([...screenActions, ...sessionActions, ...printActions].map((a) => a.id));
    for (const selected of [[], ["a"], ["g"], ["mix"]])
      for (const { id, about } of verbsOf(session, selected))
        expect([id, known.has(id), about.length <= 44]).toEqual([id, true, true]);
  });
});
