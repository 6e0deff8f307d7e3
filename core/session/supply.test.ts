import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { randomSessions } from "../testing/random-session";
import type { Asset } from "./document";
import { applyStep } from "./edits";
import { readSession } from "./read";
import { matchMissing, missingChannel, missingName, supplyStep } from "./supply";
import { usesOf } from "./usage";

const hash = (n: number): string => n.toString(16).padStart(64, "a");

describe("missing files", () => {
  it("are supplied wherever they play, in one step that is undone as one", () => {
    fc.assert(
      fc.property(randomSessions(), fc.nat(7), (drawn, which) => {
        const assets = drawn.assets.map((a, i): Asset => ((which >> i) & 1 ? { ...a, origin: "missing" } : a));
        const session = { ...drawn, assets };
        const missing = assets.filter((a) => a.origin === "missing");
        const supplied = missing.map(({ id, ...a }, i) => ({
          missing: id,
          asset: { ...a, id: hash(i), origin: "imported" as const, frames: a.frames + i },
        }));
        const applied = applyStep(session, supplyStep(session, supplied));
        if (!applied.ok) throw new Error(JSON.stringify(applied.problems));
        const { session: now, inverse } = applied.value;
        expect(readSession(JSON.parse(JSON.stringify(now)))).toMatchObject({ ok: true });
        expect(now.assets.some((a) => a.origin === "missing")).toBe(false);
        const [before, after] = [usesOf(session), usesOf(now)];
        for (const { missing: id, asset } of supplied) {
          expect(after.get(asset.id)).toEqual(before.get(id));
          expect(after.has(id)).toBe(false);
        }
        const back = applyStep(now, inverse);
        expect(back.ok && back.value.session).toEqual(session);
      }),
    );
  });

  it("are matched by name, and by channel where one is wanted", () => {
    const named = (id: string, name: string): Asset => ({
      ...{ id, name, frames: 1, rate: 48000, channels: 1 },
      origin: "missing",
    });
    const missing = [
      named("a", missingName("Audio Files/Kick 01.wav", null)),
      named("b", missingName("/Volumes/Disk/Voice.aif", 1)),
      named("c", "Bass.wav"),
    ];
    const matched = matchMissing(missing, ["new/kick 01.flac", "other.wav", "Voice.wav"]);
    expect([...matched]).toEqual([
      ["a", 0],
      ["b", 2],
    ]);
    expect(missing.map((m) => missingChannel(m.name))).toEqual([null, 1, null]);
    expect([...matchMissing([named("c", "Bass.wav")], ["anything.wav"])]).toEqual([["c", 0]]);
  });
});
