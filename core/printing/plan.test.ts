import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { makeAudioClip, makeDevice, makeLane, makeSend, makeSession, makeTrack } from "../session/build";
import type { Session } from "../session/document";
import { applyStep } from "../session/edits";
import { MIX_OUT, differenceDb, hashOf, listen, noise, peakDb } from "../testing/listen";
import { after, planned, warned, whyDiffers } from "../testing/print";
import { randomSessions, recordings } from "../testing/random-session";
import { randomSlips, slipFrom, tryOut } from "../testing/random-slip";
import { PieceCutter } from "./cut";
import { planPrint } from "./plan";
import type { Slip } from "./slip";
import { fitted, plainSlip } from "./slip";
import { slipSchema } from "./slip-schema";
import { share } from "../../tests/setup/share";

describe("the promise that it sounds the same", () => {
  test("whatever is printed at whatever tap: with the source gone and the print in its place the mix is unchanged to -120 dBFS, or the plan has said why not", () => {
    const same = new Map<string, number>();
    let told = 0;
    let right = 0;
    fc.assert(
      fc.property(randomSessions({ above: "linkable" }), randomSlips, (session, parts) => {
        const slip = slipFrom(session, parts);
        const outcome = slip && tryOut(session, slip);
        if (!outcome || outcome.kind === "refused") return;
        if (outcome.kind !== "same") {
          told++;
          if (outcome.residueDb > -120) right++;
          return;
        }
        expect(outcome.residueDb).toBeLessThanOrEqual(-120);
        const { before, tap } = outcome.slip;
        const at = before === null ? tap : "in front of a device";
        same.set(at, (same.get(at) ?? 0) + 1);
      }),
      { numRuns: share(160) },
    );
    // Each tap was really put to the test, and what cannot be the same was really met.
    const taps = ["clip", "devices", "in front of a device", "channel", "group"];
    expect(taps.filter((tap) => same.has(tap)).length).toBeGreaterThan(2);
    expect(told).toBeGreaterThan(1);
    expect(right).toBeGreaterThan(told / 2);
  }, 240_000);
});

const tone = makeAudioClip({ id: "a1", asset: hashOf(1), start: 4800, frames: 9600 });
const plain = makeSession({
  assets: [1, 2].map((n) => ({
    id: hashOf(n),
    name: `noise ${n}`,
    frames: 48000,
    rate: 48000,
    channels: 2,
    origin: "imported" as const,
  })),
  ranges: [{ id: "verse", name: "Verse", from: 480, to: 960 }],
  tracks: [
    makeTrack({
      id: "a",
      name: "Rope",
      kind: "audio",
      output: "g",
      sends: [makeSend("s", "r", -6)],
      devices: [makeDevice("e", "eq", { bell1Db: 4 })],
      faderDb: -3,
      clips: [tone, { ...tone, id: "a2", start: 14_400 }, { ...tone, id: "a3", start: 40_000, asset: hashOf(2) }],
    }),
    makeTrack({ id: "b", name: "Gull", kind: "audio", mute: true, clips: [{ ...tone, id: "b1" }] }),
    makeTrack({
      id: "k",
      name: "Ducked",
      kind: "audio",
      clips: [{ ...tone, id: "k1" }],
      devices: [makeDevice("c", "compressor", { thresholdDb: -30 }, "a")],
    }),
    makeTrack({ id: "g", name: "Quay", kind: "group" }),
    makeTrack({ id: "r", name: "Hall", kind: "return", devices: [makeDevice("h", "reverb", { decayS: 0.3 })] }),
    makeTrack({ id: "mix", name: "Mix", kind: "mix", devices: [makeDevice("l", "limiter")] }),
  ],
});

describe("pieces", () => {
  test("each clip, each run and one piece are cut where clips touch; each begins at its own first frame", () => {
    const files = (pieces: Slip["pieces"], more: Partial<Slip> = {}) =>
      planned(plain, { ...plainSlip(["a"]), tap: "clip", tail: "none", pieces, ...more }).files.map((f) => [
        f.name,
        f.from,
        f.to,
      ]);
    expect(files("each clip")).toEqual([
      ["Rope print 1", 4800, 14_400],
      ["Rope print 2", 14_400, 24_000],
      ["Rope print 3", 40_000, 49_600],
    ]);
    expect(files("each run")).toEqual([
      ["Rope print 1", 4800, 24_000],
      ["Rope print 2", 40_000, 49_600],
    ]);
    expect(files("one piece")).toEqual([["Rope print", 0, 49_600]]);
    expect(files("one piece", { range: { by: "own" } })).toEqual([["Rope print", 4800, 49_600]]);
    // From the start is from bar 1, whatever is chosen of the track.
    expect(files("one piece", { clips: ["a2", "a3"] })).toEqual([["Rope print", 0, 49_600]]);
    expect(files("one piece", { clips: ["a2", "a3"], range: { by: "own" } })).toEqual([["Rope print", 14_400, 49_600]]);
  });

  test("a consolidated track has one clip that sounds as its three did; its devices are still there", () => {
    const plan = planned(plain, {
      ...plainSlip(["a"]),
      tap: "clip",
      tail: "none",
      range: { by: "own" },
      placed: "same track",
      afterwards: "replace",
    });
    expect(plan.differs).toBeNull();
    const made = after(plain, plan);
    const track = made.session.tracks[0]!;
    expect([track.clips.map((c) => c.kind === "audio" && [c.start, c.frames]), track.devices.length]).toEqual([
      [[4800, 44_800]],
      1,
    ]);
    const [x, y] = [
      listen(plain, [MIX_OUT], { library: recordings, to: 60_000, tail: "none" })[0]!,
      listen(made.session, [MIX_OUT], { library: made.library, to: 60_000, tail: "none" })[0]!,
    ];
    expect(differenceDb(x, y)).toBe(-Infinity);
  });

  test("a file cut out of a pass is the file rendered by itself, tail and all", () => {
    const audio = noise(96_000, 3, 0.3);
    for (let i = 30_000; i < 96_000; i++)
      audio.left[i] = audio.right[i] = i < 50_000 ? (audio.left[i] as number) * Math.exp(-(i - 30_000) / 2500) : 0;
    const out: number[] = [];
    const cutter = new PieceCutter(0, { from: 1000, to: 30_000 }, "measured", 48_000, (_l, _r, _o, count) =>
      out.push(count),
    );
    for (let at = 0; at < 96_000; at += 512) cutter.sink(audio.left, audio.right, at, Math.min(512, 96_000 - at));
    const last = audio.left.findLastIndex((v) => Math.abs(v) > 10 ** (-90 / 20));
    expect(out.reduce((a, b) => a + b, 0)).toBe(last + 1 + 24_000 - 1000);
  });
});

describe("what is said before", () => {
  const warnings = (slip: Partial<Slip>, session: Session = plain) =>
    warned(planned(session, { ...plainSlip(["a"]), ...slip }))
      .map((w) => w.what)
      .join(" ");

  test("doubling, a mute, an absent device, the mix chain, a stretch that is parked, a clip that strayed: each by name, with what mends it", () => {
    expect(warnings({ afterwards: "keep live" })).toContain("Both would sound");
    expect(warnings({ tracks: ["b"], tap: "channel" })).toContain("Gull is muted");
    const absent: Session = {
      ...plain,
      tracks: plain.tracks.map((t) =>
        t.id === "a" ? { ...t, devices: [...t.devices, makeDevice("x", "worn-tape")] } : t,
      ),
    };
    expect(warnings({}, absent)).toContain("worn-tape on Rope is not installed");
    expect(warnings({ tracks: ["mix"], tap: "mix" })).toContain("The mix chain is printed into it");
    expect(warnings({ range: { by: "stretch", from: 0, to: 9600 } })).toContain("Parking the source silences the rest");
    const stray: Session = {
      ...plain,
      tracks: plain.tracks.map((t) =>
        t.id === "a" ? { ...t, clips: [...t.clips, { ...tone, id: "far", name: "Left over", start: 48_000 * 60 }] } : t,
      ),
    };
    const plan = planned(stray, plainSlip(["a"]));
    const warning = warned(plan).find((w) => w.what.startsWith("Left over lies far behind"))!;
    expect(planned(stray, { ...plan.slip, ...warning.mend!.slip }).files[0]!.to).toBe(49_600);
    const muted = warned(planned(plain, { ...plainSlip(["b"]), tap: "channel" }))[0]!;
    const open = applyStep(plain, { label: "", edits: [...muted.mend!.edits!] });
    expect(open.ok && planned(open.value.session, { ...plainSlip(["b"]), tap: "channel" }).warnings).toEqual([]);
  });

  test("whatever is warned of, one press of its fix and it is not warned of any more", () => {
    const frozen: Session = {
      ...plain,
      assets: plain.assets,
      tracks: plain.tracks.map((t) =>
        t.id === "a"
          ? { ...t, frozen: { asset: hashOf(1), fingerprint: "0".repeat(64) } }
          : t.id === "k"
            ? { ...t, devices: [...t.devices, makeDevice("x", "worn-tape")] }
            : t,
      ),
    };
    const stray: Session = {
      ...plain,
      tracks: plain.tracks.map((t) =>
        t.id === "a" ? { ...t, clips: [...t.clips, { ...tone, id: "far", name: "Left over", start: 48_000 * 60 }] } : t,
      ),
    };
    const provoked: readonly (readonly [string, Session, Slip])[] = [
      ["Both would sound", plain, { ...plainSlip(["a"]), afterwards: "keep live" }],
      ["is muted", plain, { ...plainSlip(["b"]), tap: "channel" }],
      ["is not installed", frozen, plainSlip(["k"])],
      ["mix chain", plain, { ...plainSlip(["mix"]), tap: "mix" }],
      ["stale freeze", frozen, { ...plainSlip(["g"]), tap: "channel" }],
      ["stale freeze", frozen, plainSlip(["k"])],
      ["silences the rest", plain, { ...plainSlip(["a"]), range: { by: "stretch", from: 0, to: 9600 } }],
      ["would be in both prints", plain, { ...plainSlip(["a", "g"]), tap: "channel" }],
      ["far behind everything else", stray, plainSlip(["a"])],
    ];
    for (const [what, session, slip] of provoked) {
      const warning = warned(planned(session, slip)).find((w) => w.what.includes(what));
      expect(`${what}: ${warning?.fix ? "can be mended" : "cannot"}`).toBe(`${what}: can be mended`);
      const mended = applyStep(session, {
        label: "",
        edits: [...(warning!.mend!.edits ?? [{ do: "set session" as const, patch: {} }])],
      });
      const plan = planned(mended.ok ? mended.value.session : session, { ...slip, ...warning!.mend!.slip });
      expect(warned(plan).some((w) => w.what.includes(what))).toBe(false);
    }
  });

  test("what cannot be printed is refused with the track and the reason", () => {
    const refused = (slip: Partial<Slip>, session: Session = plain) => {
      const plan = planPrint(session, { ...plainSlip(["a"]), ...slip });
      return plan.ok ? [] : plan.refusals.map(({ track, why }) => `${track ?? "slip"}: ${why.kind}`);
    };
    expect(refused({ placed: "same track" })).toContain("slip: devices twice");
    expect(refused({ tracks: ["g"], tap: "clip" })).toContain("Quay: no clips");
    expect(refused({ tracks: ["mix"] })).toContain("Mix: mix at its end alone");
    expect(refused({ tracks: ["gone"] })).toContain("slip: track gone");
    expect(refused({ before: "gone" })).toContain("Rope: device gone");
    expect(refused({ before: "e", tap: "channel" })).toContain("Rope: device tap at a channel");
    expect(refused({ before: "e", tracks: ["a", "k"] })).toContain("Rope: one track between devices");
    expect(refused({ also: [{ tap: "devices", before: "gone" }] })).toContain("Rope: device gone");
    expect(refused({ tracks: ["g"], also: [{ tap: "clip", before: null }] })).toContain("Quay: no clips");
    expect(refused({ range: { by: "stretch", from: 900_000, to: 990_000 } })).toContain("slip: nothing in the range");
    const outboard: Session = {
      ...plain,
      tracks: plain.tracks.map((t) => (t.id === "a" ? { ...t, devices: [makeDevice("o", "outboard")] } : t)),
    };
    expect(refused({}, outboard)).toContain("Rope: real time only");
  });

  test("a key that is printed after its fader is told; printed after its devices it follows to the print", () => {
    expect(whyDiffers(planned(plain, { ...plainSlip(["a"]), tap: "channel" }))).toContain("steers Ducked");
    const made = after(plain, planned(plain, plainSlip(["a"])));
    expect(made.session.tracks.find((t) => t.id === "k")!.devices[0]!.key).toBe(made.session.tracks[1]!.id);
  });
});

describe("a stretch", () => {
  test("is printed from its first frame to its last, with what rings, and cleared from the source", () => {
    const plan = planned(plain, {
      ...plainSlip(["a"]),
      range: { by: "saved", range: "verse" },
      afterwards: "replace",
      tail: "none",
    });
    expect([plan.files[0]!.from, plan.files[0]!.to]).toEqual([12_000, 24_000]);
    const made = after(plain, plan);
    const source = made.session.tracks.find((t) => t.id === "a")!;
    expect(source.clips.every((c) => c.kind === "audio" && (c.start + c.frames <= 12_000 || c.start >= 24_000))).toBe(
      true,
    );
    const print = made.session.tracks[1]!;
    expect(print.clips.map((c) => c.kind === "audio" && [c.start, c.frames])).toEqual([[12_000, 12_000]]);
    // Inside the stretch it is what it was: EQ has no tail to speak of across its edges.
    const [x, y] = [plain, made.session].map(
      (s, i) =>
        listen(
          s,
          [{ kind: "path", sources: i === 0 ? ["a"] : ["a", print.id], at: "devices", returns: false, linked: false }],
          { library: made.library, from: 13_000, to: 23_000, tail: "none" },
        )[0]!,
    );
    expect(peakDb(x!)).toBeGreaterThan(-30);
    expect(differenceDb(x!, y!)).toBeLessThan(-60);
  });

  test("a slip survives JSON, and what a session no longer has is taken back", () => {
    expect(slipSchema.parse(JSON.parse(JSON.stringify(plainSlip(["a"]))))).toEqual(plainSlip(["a"]));
    const slip = fitted(
      {
        ...plainSlip(["a", "gone", "g"]),
        tap: "clip",
        range: { by: "saved", range: "none" },
        clips: ["a1"],
        returns: true,
      },
      plain,
    );
    expect(slip).toMatchObject({
      tracks: ["a", "g"],
      tap: "devices",
      range: { by: "zero" },
      clips: null,
      returns: false,
    });
  });
});

test("names say what their chips stand for, and are numbered where two would be one", () => {
  const names = (slip: Partial<Slip>) => {
    const plan = planPrint(plain, { ...plainSlip(["a"]), tap: "clip", tail: "none", ...slip }, "2026-11-28");
    return plan.ok ? plan.value.files.map((f) => f.name) : [];
  };
  expect(names({ name: "{number} {track} {tap} {date}" })).toEqual(["01 Rope clips 2026-11-28"]);
  expect(names({ name: "{track} {unknown}", pieces: "each run" })).toEqual(["Rope {unknown} 1", "Rope {unknown} 2"]);
  expect(names({ name: "{bar} {tempo}" })).toEqual(["bar 1 120 bpm"]);
});

test("what passed the mix is placed muted, and its source sounds on, whatever was to become of it", () => {
  const { session } = after(plain, planned(plain, { ...plainSlip(["a"]), tap: "mix", afterwards: "park" }));
  expect(session.tracks.find((t) => t.id === "a")?.parked).toBe(false);
  expect(session.tracks.find((t) => t.name === "Rope print")?.mute).toBe(true);
});

test("a send that is ridden from the bottom of its travel is a send: a print without it says so", () => {
  const session: Session = {
    ...plain,
    tracks: plain.tracks.map((t) => (t.id === "a" ? { ...t, sends: [makeSend("s", "r", -144, "before fader")] } : t)),
  };
  const ridden: Session = {
    ...session,
    tracks: session.tracks.map((t) =>
      t.id === "a" ? { ...t, automation: [makeLane("l", "send", [{ tick: 0, value: -6 }], "s")] } : t,
    ),
  };
  const said = (s: Session, tap: Slip["tap"]) =>
    whyDiffers(
      planned(
        { ...s, tracks: s.tracks.map((t) => (t.id === "k" ? { ...t, devices: [] } : t)) },
        { ...plainSlip(["a"]), tap },
      ),
    );
  expect([said(session, "channel"), said(session, "group")]).toEqual([null, null]);
  expect([said(ridden, "channel"), said(ridden, "group")]).toEqual([
    "a send of Rope leaves before its fader, which is in the print",
    "sends along the way are not in the print: print it with the returns",
  ]);
});

describe("a range", () => {
  const chosen = { tracks: ["a", "k"], clips: ["a1", "k1"], afterwards: "replace" as const };
  const range = { by: "stretch" as const, from: 2400, to: 60_000 };

  test("begins and ends as it is said, whichever clips are chosen in it, and what is beside them is silence", () => {
    for (const tap of ["clip", "devices", "channel"] as const) {
      const made = after(plain, planned(plain, { ...plainSlip([]), ...chosen, tap, range, tail: "none" }));
      for (const h of made.heard) {
        expect(h.left.length).toBe(range.to - range.from);
        expect(peakDb({ left: h.left.subarray(0, 2400), right: h.right.subarray(0, 2400) })).toBe(-Infinity);
        expect(peakDb({ left: h.left.subarray(2400, 4800), right: h.right.subarray(2400, 4800) })).toBeGreaterThan(-40);
      }
    }
  });

  test("whatever is chosen of whatever session: files of one range are equally long, with their tails or without", () => {
    fc.assert(
      fc.property(randomSessions({ above: "linkable" }), randomSlips, fc.boolean(), (session, parts, rings) => {
        const slip = slipFrom(session, {
          ...parts,
          range: { by: "stretch", from: 3000, to: 33_000 },
          pieces: "one piece",
          tail: rings ? "measured" : "none",
          before: null,
          depth: "32f",
        });
        const plan = slip && planPrint(session, slip);
        if (!plan?.ok) return;
        expect(new Set(plan.value.files.map((f) => `${f.from}-${f.to}`))).toEqual(new Set(["3000-33000"]));
        const lengths = new Set(after(session, plan.value).heard.map((h) => h.left.length));
        expect(lengths.size).toBe(1);
        if (!rings && slip?.tap !== "clip") expect([...lengths]).toEqual([30_000]);
      }),
      { numRuns: 25 },
    );
  }, 60_000);

  test("tracks of which nothing lies in it get no file, and are named", () => {
    const slip = { ...plainSlip(["a", "k"]), range: { by: "stretch" as const, from: 39_000, to: 45_000 } };
    const plan = planned(plain, slip);
    expect(plan.files.map((f) => f.sources)).toEqual([["a"]]);
    expect(plan.warnings).toContainEqual({ kind: "nothing there", tracks: ["Ducked"], mend: null });
  });

  test("of several whole tracks from the timeline's zero is as long as the longest; each from its own clip is its own", () => {
    const zero = after(plain, planned(plain, { ...plainSlip(["a", "k"]), tap: "clip" }));
    expect(zero.heard.map((h) => h.left.length)).toEqual([49_600, 49_600]);
    const own = after(plain, planned(plain, { ...plainSlip(["a", "k"]), tap: "clip", range: { by: "own" } }));
    expect(own.heard.map((h) => h.left.length)).toEqual([49_600 - 4800, 9600]);
  });
});

describe("clips whose effects ring on", () => {
  const echo = makeDevice("p", "delay", { beats: 0.25, feedback: 45 });
  const ringing = { ...tone, ringsOn: true, process: [echo] };
  const one = makeSession({
    assets: plain.assets,
    tracks: [
      makeTrack({ id: "a", name: "Rope", kind: "audio", clips: [ringing] }),
      makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
    ],
  });
  const consolidated = {
    ...plainSlip(["a"]),
    tap: "clip" as const,
    tail: "none" as const,
    range: { by: "own" as const },
    placed: "same track" as const,
    afterwards: "replace" as const,
  };

  test("are consolidated with what rings: the clip grows by it, and the mix is the same", () => {
    const plan = planned(one, consolidated);
    const made = after(one, plan);
    expect(made.heard[0]?.left.length).toBeGreaterThan(9600 + 24_000);
    expect(plan.differs).toBeNull();
    const play = (s: Session, library = recordings) => listen(s, [MIX_OUT], { library, to: 96_000, tail: "none" })[0];
    const [before, now] = [play(one), play(made.session, made.library)];
    if (!before || !now) throw new Error("nothing was rendered");
    expect(differenceDb(before, now)).toBeLessThan(-120);
  });

  test("ring under a clip that stays: said before it is printed", () => {
    const two: Session = {
      ...one,
      tracks: one.tracks.map((t) =>
        t.id === "a" ? { ...t, clips: [ringing, { ...tone, id: "n", start: 20_000 }] } : t,
      ),
    };
    expect(planned(two, { ...consolidated, clips: ["a1"] }).differs).toMatchObject({
      kind: "rings into the next clip",
    });
  });
});

const isTurned = (t: Session["tracks"][number]) =>
  ["a", "k"].includes(t.id) && (t.faderDb !== 0 || t.pan !== 0 || t.mute);

describe("one print of several tracks", () => {
  const together = { ...plainSlip(["a", "k"]), together: true };

  test("tapped in front of their faders is warned of, with the tap that keeps the balance", () => {
    const warning = planned(plain, together).warnings.find((w) => w.kind === "differs");
    expect(warning?.mend?.slip).toEqual({ before: null, tap: "group" });
    const one: Session = {
      ...plain,
      tracks: plain.tracks.map((t) =>
        t.id === "a" ? { ...t, output: "mix", sends: [] } : t.id === "k" ? { ...t, devices: [] } : t,
      ),
    };
    // Where every fader and pan is at rest there may be no difference: it is measured.
    expect(planned(one, { ...together, tap: "devices" })).toMatchObject({ certain: one.tracks.some(isTurned) });
    const rested = {
      ...one,
      tracks: one.tracks.map((t) => ({ ...t, faderDb: 0, pan: 0, mute: false, automation: [] })),
    };
    expect(planned(rested, { ...together, tap: "devices" })).toMatchObject({
      differs: { kind: "faders after the tap" },
      certain: false,
    });
    const sameWay = planned(one, { ...together, tap: "devices" }).warnings.find((w) => w.kind === "differs");
    expect(sameWay?.mend?.slip).toEqual({ before: null, tap: "channel" });
    expect(planned(one, { ...together, ...sameWay?.mend?.slip }).warnings.filter((w) => w.kind === "differs")).toEqual(
      [],
    );
  });
});
