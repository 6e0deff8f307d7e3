import { describe, expect, test } from "vitest";
import { layOnStep } from "../interchange/lay-on";
import { hashOf } from "../testing/listen";
import { ownInstrument } from "../testing/own-instrument";
import { recordedAssets } from "../testing/random-session";
import { makeDevice, makeSession, makeTrack } from "./build";
import { checkSession } from "./check";
import { applyStep } from "./edits";
import { editsBetween } from "./edits-between";
import { placeInstruments } from "./instrument-edits";
import { supplyStep } from "./supply";
import { clearUnused, usesOf } from "./usage";

const assets = recordedAssets.map((a) => ({ ...a, origin: "sample" as const }));
const plain = makeSession({
  tracks: [
    makeTrack({
      id: "keys",
      name: "Keys",
      kind: "instrument",
      devices: [makeDevice("s", "synth"), makeDevice("e", "eq")],
    }),
    makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
  ],
});
const counter = () => {
  let n = 0;
  return () => `new-${++n}`;
};
const arriving = (track: string | null, id = "own") => ({ instrument: { ...ownInstrument, id }, assets, track });

describe("instruments of a session", () => {
  test("are put on tracks and on new ones in one step, once each, and undone as one", () => {
    const placed = placeInstruments(plain, [arriving("keys"), arriving(null, "same"), arriving("gone")], counter())!;
    expect(placed.put.map((p) => p.name)).toEqual(["Own", "Own"]);
    const made = applyStep(plain, placed.step);
    if (!made.ok) throw new Error(JSON.stringify(made.problems));
    const { session, inverse } = made.value;
    expect(session.instruments.map((i) => i.id)).toEqual(["own"]);
    expect(session.tracks.map((t) => [t.name, t.devices.map((d) => d.type), t.devices[0]?.instrument ?? null])).toEqual(
      [
        ["Keys", ["sampled", "eq"], "own"],
        ["Own", ["sampled"], "own"],
        ["Mix", [], null],
      ],
    );
    const back = applyStep(session, inverse);
    expect(back.ok && back.value.session).toEqual(plain);
    const again = applyStep(plain, { label: "", edits: editsBetween(plain, session)! });
    expect(again.ok && again.value.session).toEqual(session);
  });

  test("what the wheels of a MIDI file did is automation of the new instrument, and stays with the next one", () => {
    const program = {
      ...{ bank: 0, program: 3 },
      bends: [
        { tick: 0, value: 200 },
        { tick: 960, value: 0 },
      ],
      wheel: [{ tick: 480, value: 50 }],
      device: null,
    };
    const asked = { ...plain, tracks: plain.tracks.map((t) => (t.id === "keys" ? { ...t, program } : t)) };
    const put = (session: typeof plain, id: string) => {
      const made = applyStep(session, placeInstruments(session, [arriving("keys", id)], counter())!.step);
      if (!made.ok) throw new Error(JSON.stringify(made.problems));
      return made.value.session;
    };
    const lanes = (session: typeof plain) => {
      const [keys] = session.tracks;
      return keys!.automation.map((l) => [
        l.param,
        l.of === keys!.devices[0]?.id,
        l.points.map((p) => [p.tick, p.value, p.shape]),
      ]);
    };
    const first = put(asked, "own");
    expect(lanes(first)).toEqual([
      [
        "bend",
        true,
        [
          [0, 200, "hold"],
          [960, 0, "hold"],
        ],
      ],
      ["wheel", true, [[480, 50, "hold"]]],
    ]);
    expect(checkSession(first)).toEqual([]);
    // A lane that was taken away does not come back with another instrument.
    const [keys] = first.tracks;
    const edited = {
      ...first,
      tracks: first.tracks.map((t) => (t === keys ? { ...t, automation: t.automation.slice(1) } : t)),
    };
    expect(lanes(put(edited, "other")).map(([param]) => param)).toEqual(["wheel"]);
  });

  const playing = (() => {
    const made = applyStep(plain, placeInstruments(plain, [arriving("keys")], counter())!.step);
    if (!made.ok) throw new Error("it cannot be placed");
    return made.value.session;
  })();

  test("a device without its instrument, and an instrument without its recordings, are refused", () => {
    expect(checkSession(playing)).toEqual([]);
    expect(checkSession({ ...playing, instruments: [] }).map((p) => p.where)).toEqual([
      "tracks[0].devices[0].instrument",
    ]);
    expect(checkSession({ ...playing, assets: assets.slice(1) }).map((p) => p.where)).toEqual(["instruments[0].zones"]);
    const removed = applyStep(playing, { label: "", edits: [{ do: "remove", in: "instruments", id: "own" }] });
    expect(removed.ok).toBe(false);
  });

  test("recordings of what plays are used; what no track plays is cleared with them", () => {
    expect([...usesOf(playing).keys()].sort()).toEqual([1, 2, 3].map(hashOf));
    expect(clearUnused(playing)).toEqual([]);
    const silent = { ...playing, tracks: plain.tracks };
    const cleared = applyStep(silent, { label: "", edits: [...clearUnused(silent)] });
    expect(cleared.ok && [cleared.value.session.instruments, cleared.value.session.assets]).toEqual([[], []]);
  });

  test("a recording that was missing is supplied in every zone", () => {
    const missing = { ...playing, assets: assets.map((a, i) => (i === 1 ? { ...a, origin: "missing" as const } : a)) };
    const step = supplyStep(missing, [{ missing: hashOf(2), asset: { ...assets[1]!, id: hashOf(9) } }]);
    const made = applyStep(missing, step);
    if (!made.ok) throw new Error(JSON.stringify(made.problems));
    expect(made.value.session.instruments[0]?.zones.map((z) => z.sample)).toEqual([1, 9, 3, 9].map(hashOf));
  });

  test("another session that is laid on this one brings its instruments; one with the same id and other zones gets its own", () => {
    const options = { frame: 0, withTempo: false, muted: false };
    const other = {
      ...playing,
      tracks: playing.tracks.map((t) => ({ ...t, id: `other-${t.id}`, output: t.output && `other-${t.output}` })),
    };
    for (const [into, opened, ids] of [
      [plain, other, ["own"]],
      [playing, other, ["own"]],
      [playing, { ...other, instruments: [{ ...ownInstrument, name: "Changed" }] }, ["own", "new-1"]],
    ] as const) {
      const made = applyStep(into, layOnStep(into, opened, { ...options, newId: counter() }));
      if (!made.ok) throw new Error(JSON.stringify(made.problems));
      expect(made.value.session.instruments.map((i) => i.id)).toEqual(ids);
      const track = made.value.session.tracks.find((t) => t.id === "other-keys");
      expect(track?.devices[0]?.instrument).toBe(ids.at(-1));
    }
  });
});
