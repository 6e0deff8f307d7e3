import fc from "fast-check";
import { expect, test } from "vitest";
import { makeSession, makeTrack } from "./build";
import type { Step } from "./edits";
import { applyStep } from "./edits";
import type { NamedStep, StoredStep, Sync } from "./sync";
import { propose, receive, startSync, withdraw } from "./sync";

const session = makeSession({
  tracks: [
    ...["a", "b", "c"].map((id) => makeTrack({ id, name: id, kind: "audio" })),
    makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
  ],
});
const named = (id: string, step: Step): NamedStep => ({ id, step });
const fader = (id: string, track: string, faderDb: number) =>
  named(id, { label: "fader", edits: [{ do: "set", in: "tracks", id: track, patch: { faderDb } }] });

/** So many missing steps a server hands out at once. */
const TOLD = 3;

/** A server as simple as can be: takes steps made on its revision, or hands out the first of what is missing. */
class Server {
  readonly steps: StoredStep[] = [];
  session = session;
  post(base: number, steps: readonly NamedStep[]): readonly StoredStep[] | null {
    if (base !== this.steps.length) return this.steps.slice(base, base + TOLD);
    for (const s of steps) {
      const done = applyStep(this.session, s.step);
      if (!done.ok) throw new Error("refused");
      this.session = done.value.session;
      this.steps.push({ ...s, revision: this.steps.length + 1 });
    }
    return null;
  }
}

test("whatever order two tabs edit and send in, both end with the server's session and no step is lost", () => {
  const moves = fc.array(
    fc.record({
      tab: fc.nat(1),
      track: fc.constantFrom("a", "b", "c"),
      value: fc.integer({ min: -60, max: 6 }),
      send: fc.boolean(),
    }),
    { minLength: 1, maxLength: 30 },
  );
  fc.assert(
    fc.property(moves, (list) => {
      const server = new Server();
      const tabs: Sync[] = [startSync(session, 0), startSync(session, 0)];
      const flush = (tab: number) => {
        for (let tries = 0; tabs[tab]!.pending.length > 0 && tries < 30; tries++) {
          const missing = server.post(tabs[tab]!.revision, tabs[tab]!.pending);
          tabs[tab] = receive(tabs[tab]!, missing ?? server.steps.slice(tabs[tab]!.revision)).sync;
        }
      };
      list.forEach(({ tab, track, value, send }, i) => {
        tabs[tab] = propose(tabs[tab]!, fader(`s${i}`, track, value)).sync;
        if (send) flush(tab);
      });
      flush(0);
      flush(1);
      for (const tab of [0, 1]) tabs[tab] = receive(tabs[tab]!, server.steps.slice(tabs[tab]!.revision)).sync;
      expect(server.steps.map((s) => s.id).sort()).toEqual(list.map((_, i) => `s${i}`).sort());
      for (const tab of tabs) expect(tab.shown).toEqual(server.session);
    }),
    { seed: 3 },
  );
});

test("a step that no longer applies is handed back, not dropped", () => {
  const mine = propose(startSync(session, 0), fader("mine", "a", -3)).sync;
  const { sync, refused } = receive(mine, [
    { id: "theirs", revision: 1, step: { label: "delete", edits: [{ do: "remove", in: "tracks", id: "a" }] } },
  ]);
  expect(refused.map((r) => r.id)).toEqual(["mine"]);
  expect(sync.pending).toEqual([]);
  expect(sync.shown.tracks.some((t) => t.id === "a")).toBe(false);
});

test("a step the server refused is taken back and the ones after it stay", () => {
  let sync = propose(startSync(session, 0), fader("one", "a", -3)).sync;
  sync = propose(sync, fader("two", "b", -4)).sync;
  const { sync: after } = withdraw(sync, "one");
  expect(after.shown.tracks.map((t) => t.faderDb)).toEqual([0, -4, 0, 0]);
});

test("hearing of a step twice changes nothing, and a gap is an error", () => {
  const stored: StoredStep = { ...fader("x", "a", -1), revision: 1 };
  const once = receive(startSync(session, 0), [stored]).sync;
  expect(receive(once, [stored]).sync).toEqual(once);
  expect(() => receive(once, [{ ...stored, revision: 5 }])).toThrow(RangeError);
});
