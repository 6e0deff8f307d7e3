import fc from "fast-check";
import { expect, test } from "vitest";
import type { Session } from "../session/document";
import { applyStep } from "../session/edits";
import { hashOf } from "../testing/listen";
import { counter } from "../testing/print";
import { randomSessions } from "../testing/random-session";
import { randomSlips, slipFrom } from "../testing/random-slip";
import { planPrint } from "./plan";
import type { PrintPlan, Printed } from "./print";
import { madeBy, printStep } from "./step";

/** A plan's files as if they had been rendered: as long as their content. */
const finished = (plan: PrintPlan): readonly Printed[] =>
  plan.files.map((file, i) => ({
    file,
    asset: {
      id: hashOf(900 + i),
      name: file.name,
      frames: Math.max(1, file.to - file.from),
      rate: plan.session.rate,
      channels: 2,
      origin: "printed" as const,
    },
  }));

/** Random sessions with a slip that can be printed, and what the print makes of the session. */
function everyPrint(hold: (before: Session, after: Session, plan: PrintPlan, made: ReturnType<typeof madeBy>) => void) {
  let held = 0;
  fc.assert(
    fc.property(randomSessions(), randomSlips, (session, parts) => {
      const slip = slipFrom(session, parts);
      const plan = slip && planPrint(session, slip);
      if (!plan?.ok) return;
      const step = printStep(session, plan.value, finished(plan.value), counter());
      const done = applyStep(session, step);
      if (!done.ok) throw new Error(done.problems.map((p) => `${p.where}: ${p.what}`).join("; "));
      held++;
      hold(session, done.value.session, plan.value, madeBy(step.edits));
    }),
    { numRuns: 150 },
  );
  expect(held).toBeGreaterThan(60);
}

test("what a print says it made is what is new in the session: its tracks, and the clips that play its files", () => {
  everyPrint((before, after, plan, made) => {
    const known = new Set(before.tracks.map((t) => t.id));
    expect(made.tracks.sort()).toEqual(after.tracks.flatMap((t) => (known.has(t.id) ? [] : [t.id])).sort());
    const files = new Set(plan.files.map((_, i) => hashOf(900 + i)));
    const playing = after.tracks.flatMap((t) =>
      t.clips.flatMap((c) => (c.kind === "audio" && files.has(c.asset) ? [`${t.id}/${c.id}`] : [])),
    );
    for (const place of playing) expect(made.clips.map((c) => `${c.track}/${c.clip}`)).toContain(place);
    expect(playing.length).toBe(plan.files.reduce((n, f) => n + (f.apart ? 0 : f.at.length), 0));
    // Other cuts of the same lie on the shelf.
    for (const [i] of plan.files.entries()) expect(after.assets.map((a) => a.id)).toContain(hashOf(900 + i));
  });
});

test("tracks that are not printed keep their clips, devices and sends; only keys and stems follow a print", () => {
  everyPrint((before, after, plan) => {
    for (const track of before.tracks) {
      if (plan.slip.tracks.includes(track.id)) continue;
      const now = after.tracks.find((t) => t.id === track.id);
      expect([now?.clips, now?.sends, now?.automation]).toEqual([track.clips, track.sends, track.automation]);
      expect(now?.devices.map((d) => ({ ...d, key: null }))).toEqual(track.devices.map((d) => ({ ...d, key: null })));
    }
  });
});

test("a track that is gone when its print is finished gets none, and nothing else is touched", () => {
  everyPrint((before, _after, plan) => {
    const [gone] = plan.slip.tracks;
    const track = before.tracks.find((t) => t.id === gone);
    if (!track || track.kind !== "audio" || plan.slip.tracks.length > 1) return;
    const without: Session = {
      ...before,
      tracks: before.tracks
        .filter((t) => t !== track)
        .map((t) => ({ ...t, devices: t.devices.map((d) => (d.key === gone ? { ...d, key: null } : d)) })),
      sheet: { ...before.sheet, rows: [] },
    };
    const step = printStep(without, plan, finished(plan), counter());
    expect(madeBy(step.edits)).toEqual({ tracks: [], clips: [] });
    expect(step.edits.every((e) => e.do === "add" && e.in === "assets")).toBe(true);
  });
});
