import fc from "fast-check";
import { convertedFrame } from "../analysis/resample";
import { describe, expect, test } from "vitest";
import { makeAudioClip, makeDevice, makeSend, makeSession, makeTrack } from "../session/build";
import type { Session, Sheet, StemRow } from "../session/document";
import type { Edit } from "../session/edits";
import { applyStep } from "../session/edits";
import { soundOf } from "../session/sound";
import { hashOf } from "../testing/listen";
import { recordedAssets } from "../testing/random-session";
import { folderName, safeName } from "./naming";
import { endOf, passOf, planExport } from "./plan";
import { sayFinding } from "../words/preflight";
import type { Beside } from "./preflight";
import { preflight } from "./preflight";
import { applyProfile, profileOf, profiles } from "./profiles";
import { coverage } from "./coverage";
import { fillSheet, isOutgrown, onRows, refill, rowFor, withRows } from "./sheet";
import { sayRefusals } from "../words/refusals";

const row = (id: string, name: string, ...sources: string[]): StemRow => ({
  id,
  name,
  sources,
  tap: "group",
  returns: false,
  linked: false,
  channels: "as it is",
  ticked: true,
});
const clip = (id: string) => makeAudioClip({ id, asset: hashOf(1), start: 4800, frames: 48000 });
const base = makeSession({
  name: "Cue",
  assets: recordedAssets,
  tracks: [
    makeTrack({
      id: "a",
      name: "Anchor",
      kind: "audio",
      clips: [clip("c1")],
      output: "g",
      sends: [makeSend("s", "hall", -6)],
    }),
    makeTrack({ id: "b", name: "Bell", kind: "audio", clips: [clip("c2")] }),
    makeTrack({ id: "m", name: "Mute me", kind: "audio", clips: [clip("c3")], mute: true }),
    makeTrack({ id: "g", name: "Group", kind: "group" }),
    makeTrack({ id: "hall", name: "Hall", kind: "return" }),
    makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
  ],
});
const session: Session = { ...base, sheet: fillSheet(base) };
const rowed = (...rows: StemRow[]): Session => ({ ...session, sheet: { ...session.sheet, rows } });

describe("names", () => {
  test("any text becomes a name every file system takes", () => {
    fc.assert(
      fc.property(fc.string({ unit: "binary", maxLength: 200 }), (text) => {
        const name = safeName(text);
        expect(name).not.toMatch(/[\u0000-\u001f<>:"/\\|?*\u007f]/);
        expect(name).not.toMatch(/^[. ]|[. ]$/);
        expect(Buffer.byteLength(name, "utf8")).toBeLessThanOrEqual(121);
        expect(name.length).toBeGreaterThan(0);
        expect(name).toBe(name.normalize("NFC"));
      }),
      { numRuns: 500 },
    );
    expect(safeName("CON")).toBe("CON_");
    expect(safeName("nul.wav")).toBe("nul.wav_");
    expect(safeName("../../etc/passwd")).not.toContain("/");
  });

  test("files are numbered in order and differ even where case does not count", () => {
    const named = (rows: readonly StemRow[], sheet: Partial<Sheet> = {}) => {
      const plan = planExport({ ...session, sheet: { ...session.sheet, mixes: [], ...sheet, rows } });
      return plan.ok ? plan.value.files.map((f) => f.fileName) : [];
    };
    const rows = [row("1", "Pad", "a"), row("2", "pad", "b"), row("3", "PAD ", "m")];
    expect(named(rows)).toEqual(["01 Pad.wav", "02 pad.wav", "03 PAD.wav"]);
    // A stem is called the same whether it is exported alone or with all others.
    expect(named(rows.map((r) => ({ ...r, ticked: r.id === "2" })))).toEqual(["02 pad.wav"]);
    const fileName: Sheet["fileName"] = [
      { kind: "text", text: "HL" },
      { kind: "stem", text: "" },
      { kind: "tempo", text: "" },
      { kind: "key", text: "" },
      { kind: "depth", text: "" },
    ];
    const clash = planExport({ ...session, sheet: { ...session.sheet, rows, fileName } });
    expect(clash.ok && clash.value.collided).toEqual(["HL pad 120 bpm 24-bit", "HL PAD 120 bpm 24-bit"]);
    expect(named(rows, { fileName, format: "flac" })).toEqual([
      "HL Pad 120 bpm 24-bit.flac",
      "HL pad 120 bpm 24-bit 2.flac",
      "HL PAD 120 bpm 24-bit 3.flac",
    ]);
    expect(named(rows.slice(0, 1).map((r) => ({ ...r, channels: "two mono" })))).toEqual([
      "01 Pad L.wav",
      "01 Pad R.wav",
    ]);
    fc.assert(
      fc.property(
        fc.array(fc.string({ minLength: 1, maxLength: 8 }), { minLength: 1, maxLength: 30 }),
        fc.array(fc.constantFrom(...(["number", "stem", "song", "text"] as const)), { maxLength: 4 }),
        (texts, kinds) => {
          const chips = kinds.map((kind) => ({ kind, text: "x" }));
          const made = named(
            texts.map((t, i) => row(String(i), t, "a")),
            { fileName: chips },
          );
          expect(new Set(made.map((n) => n.toLowerCase())).size).toBe(texts.length);
        },
      ),
    );
  });

  test("the folder says the tempo, both ends of it where it changes", () => {
    expect(folderName(session)).toBe("Cue - Stems - 120 bpm");
    expect(
      folderName({
        ...session,
        tempo: [
          { tick: 0, bpm: 96, shape: "ramp" },
          { tick: 960, bpm: 84.5, shape: "hold" },
        ],
      }),
    ).toBe("Cue - Stems - 84.5 to 96 bpm");
  });
});

describe("sheet", () => {
  test("is filled with one stem a sounding track, returns with it, muted ones not", () => {
    expect(session.sheet.rows.map((r) => r.name)).toEqual(["Anchor", "Bell", "Hall"]);
    expect(coverage(session, () => true)).toEqual([]);
  });

  test("what keeps stems from adding up is named", () => {
    expect(coverage(rowed(row("1", "Anchor", "a"), row("2", "Hall", "hall")), () => true)).toEqual([
      { kind: "in no stem", track: "Bell" },
    ]);
    expect(coverage(rowed(row("1", "All", "g", "b", "a"), row("2", "Hall", "hall")), () => true)).toEqual([
      { kind: "in several stems", track: "Anchor", stems: 2 },
    ]);
    expect(
      coverage(
        rowed({ ...row("1", "A", "a"), tap: "channel" }, row("2", "B", "b"), row("3", "H", "hall")),
        () => true,
      )[0],
    ).toEqual({ kind: "before its group", stem: "A" });
    expect(coverage(rowed({ ...row("1", "A", "a"), returns: true }, row("2", "B", "b")), () => true)[0]).toEqual({
      kind: "returns in some stems",
    });
    const curved = {
      ...session,
      tracks: session.tracks.map((t) => (t.id === "g" ? { ...t, devices: [makeDevice("gc", "compressor")] } : t)),
    };
    expect(coverage(curved, (type) => type !== "compressor")[0]).toMatchObject({ kind: "not linear", track: "Group" });
  });
});

describe("plan", () => {
  const plan = (s: Session) => {
    const made = planExport(s);
    if (!made.ok) throw new Error(sayRefusals(made.refusals));
    return made.value;
  };

  test("covers the session from zero to the last sound, with the reference mix last", () => {
    const p = plan(session);
    expect([p.from, p.to, p.timeReference]).toEqual([0, 52800, 0]);
    expect(p.files.map((f) => f.role)).toEqual(["stem", "stem", "stem", "reference mix"]);
  });

  test("a range starts and ends on its ticks, and the stamp follows the delivered rate", () => {
    const p = plan({ ...session, sheet: { ...session.sheet, from: 960, to: 1920, rate: 96000 } });
    expect([p.from, p.to, p.timeReference]).toEqual([24000, 48000, 48000]);
    expect(planExport({ ...session, sheet: { ...session.sheet, from: 19200, to: null } }).ok).toBe(false);
    expect(
      planExport({ ...session, tracks: session.tracks.filter((t) => t.kind === "mix"), sheet: base.sheet }).ok,
    ).toBe(false);
  });
});

describe("preflight", () => {
  let made = 0;
  const find = (s: Session, id: string) => preflight(s, () => "new-row").find((f) => f.id.startsWith(id));

  test("a clean sheet has nothing to say but what is muted", () => {
    expect(preflight(session, () => "n")).toMatchObject([{ kind: "muted", tracks: ["Mute me"] }]);
  });

  test("what is muted, or rests without a print of it, is named, and opened by one press", () => {
    const shut: Session = {
      ...session,
      tracks: session.tracks.map((t) =>
        t.id === "a" ? { ...t, mute: true } : t.id === "b" ? { ...t, parked: true } : t,
      ),
    };
    for (const kind of ["muted", "parked"] as const) {
      const finding = preflight(shut, () => "n").find((f) => f.kind === kind);
      expect(finding).toMatchObject({
        weight: "know",
        tracks: expect.arrayContaining([expect.any(String)]) as unknown,
      });
      const opened = applyStep(shut, finding!.fix!);
      expect(opened.ok && preflight(opened.value.session, () => "n").some((f) => f.kind === kind)).toBe(false);
    }
  });

  test("a fix does away with its finding", () => {
    const gap = rowed(row("1", "Anchor", "a"), row("2", "Hall", "hall"), row("3", "Mute me", "m"));
    for (const id of ["left", "silent-muted"]) {
      const finding = find(gap, id);
      expect(finding?.fix).not.toBeNull();
      const fixed = applyStep(gap, finding!.fix!);
      expect(fixed.ok && find(fixed.value.session, id)).toBeUndefined();
    }
  });

  test("what concerns several stems or tracks is one finding with their names, and one press mends all", () => {
    const gap = rowed(row("1", "Anchor", "a"));
    const found = preflight(gap, () => `new-${String(made++)}`).filter((f) => f.kind === "in no stem");
    expect(found).toMatchObject([{ tracks: ["Bell", "Hall"] }]);
    expect(sayFinding(found[0]!)).toMatchObject({ what: '"Bell" and "Hall" are in no stem.', fix: "Add them" });
    const fixed = applyStep(gap, found[0]!.fix!);
    expect(fixed.ok && fixed.value.session.sheet.rows.map((r) => r.sources)).toEqual([["a"], ["b"], ["hall"]]);
  });

  test("an absent device, a nameless stem and a session without sound are found", () => {
    const absent = {
      ...session,
      tracks: session.tracks.map((t) =>
        t.id === "b" ? { ...t, devices: [makeDevice("x", "tape-from-elsewhere")] } : t,
      ),
    };
    expect(find(absent, "absent")).toMatchObject({ device: "tape-from-elsewhere", tracks: ["Bell"] });
    expect(find(rowed(row("1", "Audio 7", "a")), "nameless")?.weight).toBe("look");
    expect(
      find({ ...session, tracks: session.tracks.filter((t) => t.kind === "mix"), sheet: base.sheet }, "empty")?.weight,
    ).toBe("stop");
  });

  test("clips forgotten far behind everything else are found, and removing them is offered", () => {
    const clip = (id: string, start: number) => makeAudioClip({ id, asset: hashOf(1), start, frames: 48000 });
    const with4 = (...last: readonly number[]) => ({
      ...session,
      assets: recordedAssets,
      tracks: session.tracks.map((t) =>
        t.id === "a"
          ? {
              ...t,
              kind: "audio" as const,
              devices: [],
              clips: [
                ...[0, 1, 2, 3, 4, 5, 6, 7].map((n) => clip(`c${n}`, n * 48000)),
                ...last.map((n, i) => clip(`z${i}`, n * 48000)),
              ],
            }
          : t,
      ),
    });
    expect(find(with4(9), "stray")).toBeUndefined();
    const found = find(with4(40, 42), "stray");
    expect(found).toMatchObject({ kind: "stray clips", clips: 2, atS: 40, gapS: 32 });
    expect(sayFinding(found!).what).toContain("0:40.000, 0:32.000 after");
    const fixed = applyStep(with4(40, 42), found!.fix!);
    expect(fixed.ok && fixed.value.session.tracks.find((t) => t.id === "a")!.clips.length).toBe(8);
    // A range with an end of its own leaves them out anyway.
    const ranged = with4(40);
    expect(find({ ...ranged, sheet: { ...ranged.sheet, to: 9600 } }, "stray")).toBeUndefined();
  });

  test("a device that works in real time only stops an export until it is switched off", () => {
    const live = {
      ...session,
      tracks: session.tracks.map((t) =>
        t.id === "b" ? { ...t, devices: [...t.devices, makeDevice("o", "outboard")] } : t,
      ),
    };
    const found = find(live, "live");
    expect(found?.weight).toBe("stop");
    const fixed = applyStep(live, found!.fix!);
    expect(fixed.ok && find(fixed.value.session, "live")).toBeUndefined();
  });
});

describe("preflight of what the sheet asks for", () => {
  const all = (s: Session, beside: Beside = {}) => preflight(s, () => "new-row", beside);
  const measured = (
    name: string,
    facts: Partial<{ clippedSamples: number; peakDb: number | null; mono: boolean }>,
  ) => ({
    last: new Map([[name, { clippedSamples: 0, peakDb: -3, mono: false, ...facts }]]),
  });
  const sheeted = (patch: Partial<Sheet>): Session => ({ ...session, sheet: { ...session.sheet, ...patch } });
  const stereo = rowed(
    { ...row("1", "Anchor", "a"), channels: "stereo" },
    row("2", "Bell", "b"),
    row("3", "Hall", "hall"),
  );

  test.each<[string, Session, Beside]>([
    ["same name", rowed(row("1", "Pad", "a"), row("2", "pad", "b"), row("3", "Hall", "hall")), {}],
    [
      "mix chain in stems",
      rowed({ ...row("1", "A", "a"), tap: "mix" }, row("2", "B", "b"), row("3", "Hall", "hall")),
      {},
    ],
    ["return twice", rowed({ ...row("1", "A", "a"), returns: true }, row("2", "B", "b"), row("3", "Hall", "hall")), {}],
    ["clipped", session, measured("Anchor", { clippedSamples: 3 })],
    ["was silent", session, measured("Anchor", { peakDb: null })],
    ["mono as stereo", stereo, measured("Anchor", { mono: true })],
    ["wrong rate", sheeted({ receiver: "Picture", rate: 44100 }), {}],
    ["no float in FLAC", sheeted({ format: "flac", depth: "32f" }), {}],
    ["too long for AIFF", sheeted({ format: "aiff", depth: "32f", rate: 96000, to: 960 * 30000 }), {}],
  ])("%s is told, says what it means, and its fix takes it away", (kind, s, beside) => {
    const found = all(s, beside).find((f) => f.kind === kind);
    expect(found).toBeDefined();
    const { what, means, fix } = sayFinding(found!);
    expect([what.length > 10, means.length > 10, (fix ?? "").length > 3]).toEqual([true, true, true]);
    const fixed = applyStep(s, found!.fix!);
    if (!fixed.ok) throw new Error(JSON.stringify(fixed.problems));
    expect(all(fixed.value.session, beside).some((f) => f.id === found!.id)).toBe(false);
  });

  test("who is heard alone at the moment is told, and that an export holds everything", () => {
    const found = all(session, { soloed: new Set(["a"]) }).find((f) => f.kind === "solo");
    expect(sayFinding(found!).what).toBe("Anchor is heard alone at the moment.");
  });
});

describe("profiles", () => {
  test.each(profiles.map((p) => [p.name, p] as const))(
    "%s fills the whole sheet in one step that is taken back",
    (_, p) => {
      const filled = applyStep(base, applyProfile(base, p));
      if (!filled.ok) throw new Error(JSON.stringify(filled.problems));
      const { sheet } = filled.value.session;
      expect(sheet).toMatchObject({ ...p.body.sheet, receiver: p.name });
      const returns = sheet.rows.find((r) => r.sources.includes("hall"))!;
      expect([returns.returns, returns.ticked]).toEqual([false, !p.body.rows.returns]);
      for (const r of sheet.rows.filter((x) => x !== returns))
        expect(r).toMatchObject({ ...p.body.rows, ticked: true });
      // What one's own profile keeps of it is the profile.
      expect(profileOf(filled.value.session, p.body.about)).toEqual(p.body);
      const back = applyStep(filled.value.session, filled.value.inverse);
      expect(back.ok && back.value.session).toEqual(base);
      expect(planExport(filled.value.session).ok).toBe(true);
    },
  );

  test("stems through the mix's chain are held against the mix after it", () => {
    const mastering = profiles.find((p) => p.name === "Mastering")!;
    const filled = applyStep(base, applyProfile(base, mastering));
    const plan = filled.ok ? planExport(filled.value.session) : null;
    expect(plan?.ok && plan.value.whole).toEqual({ kind: "mix", at: "after its chain" });
    expect(filled.ok && coverage(filled.value.session, () => true)).toEqual([]);
  });
});

describe("lead-in, tail and ticks", () => {
  const plan = (sheet: Partial<Sheet>) => {
    const made = planExport({ ...session, sheet: { ...session.sheet, ...sheet } });
    if (!made.ok) throw new Error(sayRefusals(made.refusals));
    return made.value;
  };

  test("silent bars are as long as the bars they stand before, and the stamp never falls below zero", () => {
    // 120 bpm, 4/4: two seconds a bar.
    expect(plan({ leadInBars: 2 })).toMatchObject({ leadFrames: 192000, timeReference: 0 });
    expect(plan({ leadInBars: 1, from: 3840, to: 5760, rate: 96000 })).toMatchObject({
      leadFrames: 192000,
      timeReference: 0,
    });
    expect(plan({ leadInBars: 1, from: 7680, to: 8000 })).toMatchObject({ timeReference: 96000 });
  });

  test("a fixed tail is so many seconds, rendered whatever rings", () => {
    // At 120 beats a minute three of them are the same as a second and a half.
    const beats = plan({ tail: "beats", tailBeats: 3 });
    expect([beats.tail, beats.tailFrames]).toEqual(["fixed", plan({ tail: "fixed", tailSeconds: 1.5 }).tailFrames]);
    const made = plan({ tail: "fixed", tailSeconds: 1.5 });
    expect(made.tailFrames).toBe(72000);
    expect(passOf(session, made)).toMatchObject({ from: 0, to: made.to + 72000, tail: "none" });
  });

  test("where a pass went is found again from how long its files are, at every rate", () => {
    fc.assert(
      fc.property(
        fc.nat(500000),
        fc.integer({ min: 1, max: 500000 }),
        fc.constantFrom(44100, 48000, 96000),
        fc.constantFrom(44100, 48000, 88200, 96000),
        (from, length, rate, to) => {
          const frames = Math.ceil(((from + length) * to) / rate) - convertedFrame(from, rate, to);
          const end = endOf({ from, rate: to }, frames, rate);
          // Another end that gives as many frames is as good.
          expect(Math.ceil((end * to) / rate) - convertedFrame(from, rate, to)).toBe(frames);
        },
      ),
      { numRuns: 2000 },
    );
  });

  test("only what is ticked is exported; with nothing ticked a mix alone is, and nothing at all is refused", () => {
    const untick = (names: readonly string[], mixes: Sheet["mixes"]) =>
      planExport({
        ...session,
        sheet: {
          ...session.sheet,
          mixes,
          rows: session.sheet.rows.map((r) => ({ ...r, ticked: !names.includes(r.name) })),
        },
      });
    const some = untick(["Bell"], ["after its chain"]);
    expect(some.ok && some.value.files.map((f) => f.fileName)).toEqual([
      "01 Anchor.wav",
      "03 Hall.wav",
      "Cue reference mix.wav",
    ]);
    const none = untick(["Anchor", "Bell", "Hall"], ["after its chain", "before its chain"]);
    expect(none.ok && [none.value.files.length, none.value.whole]).toEqual([2, null]);
    expect(untick(["Anchor", "Bell", "Hall"], []).ok).toBe(false);
  });
});

describe("a sheet that fills itself", () => {
  const clip = (id: string) => makeAudioClip({ id, asset: hashOf(1), start: 0, frames: 1000 });
  const own = makeSession({
    assets: [{ id: hashOf(1), name: "a", frames: 1000, rate: 48000, channels: 2, origin: "imported" }],
    tracks: [
      makeTrack({ id: "a", name: "Voice", kind: "audio", clips: [clip("1")], sends: [makeSend("s", "r", -6)] }),
      makeTrack({ id: "b", name: "Empty", kind: "audio" }),
      makeTrack({ id: "c", name: "Muted", kind: "audio", clips: [clip("2")], mute: true }),
      makeTrack({ id: "r", name: "Hall", kind: "return" }),
      makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
    ],
  });
  const titles = (s: typeof own) => {
    const plan = planExport(s);
    return plan.ok ? plan.value.files.map((f) => f.title) : plan.refusals;
  };

  test("has a stem for every track that sounds, and follows tracks that come and go", () => {
    expect(titles(own)).toEqual(["Voice", "Hall", "Reference mix"]);
    const more = {
      ...own,
      tracks: [
        makeTrack({ id: "d", name: "Drum", kind: "audio", clips: [clip("3")] }),
        ...own.tracks.filter((t) => t.id !== "r").map((t) => ({ ...t, sends: [] })),
      ],
    };
    expect(titles(more)).toEqual(["Drum", "Voice", "Reference mix"]);
    expect(titles({ ...own, tracks: own.tracks.filter((t) => t.kind === "mix") })).toEqual([
      { track: null, why: { kind: "nothing sounds" } },
    ]);
  });

  test("has returns that are reached through others", () => {
    const chained = {
      ...own,
      tracks: own.tracks.flatMap((t) =>
        t.id === "r"
          ? [{ ...t, sends: [makeSend("t", "q", -6)] }, makeTrack({ id: "q", name: "Echo", kind: "return" })]
          : [t],
      ),
    };
    expect(titles(chained)).toEqual(["Voice", "Hall", "Echo", "Reference mix"]);
  });

  test("keeps what was changed on it from the first change on, and fills itself again when asked", () => {
    const filled = withRows(own);
    const step = onRows(own, {
      label: "Rename",
      edits: [{ do: "set", in: "rows", id: filled.sheet.rows[0]!.id, patch: { name: "Lead" } }],
    });
    const changed = applyStep(own, step);
    if (!changed.ok) throw new Error(JSON.stringify(changed.problems));
    expect(titles(changed.value.session)).toEqual(["Lead", "Hall", "Reference mix"]);
    const grown = {
      ...changed.value.session,
      tracks: [
        makeTrack({ id: "d", name: "Drum", kind: "audio", clips: [clip("3")] }),
        ...changed.value.session.tracks,
      ],
    };
    expect(titles(grown)).toEqual(["Lead", "Hall", "Reference mix"]);
    const again = applyStep(grown, refill(grown)!);
    expect(again.ok && titles(again.value.session)).toEqual(["Drum", "Voice", "Hall", "Reference mix"]);
    expect(refill(own)).toBeNull();
    const back = applyStep(changed.value.session, changed.value.inverse);
    expect(back.ok && back.value.session).toEqual(own);
  });
});

describe("a sheet that came with a set of stems", () => {
  const came = makeSession({
    tracks: [
      makeTrack({
        id: "a",
        name: "Kick",
        kind: "audio",
        clips: [makeAudioClip({ id: "c", asset: hashOf(1), start: 0, frames: 4800 })],
      }),
      makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
    ],
    assets: [{ id: hashOf(1), name: "kick", frames: 4800, rate: 48000, channels: 2, origin: "imported" }],
  });
  const row = { ...rowFor(came.tracks[0]!, "r"), tap: "clip" as const, linked: false };
  const session = { ...came, sheet: { ...came.sheet, rows: [row], dither: false, arrived: soundOf(came) } };
  const changes: readonly [string, Edit][] = [
    [
      "an equaliser",
      { do: "add", in: "devices", track: "a", item: { ...makeDevice("e", "eq", { lowDb: 3 }) }, index: 0 },
    ],
    ["a fader", { do: "set", in: "tracks", id: "a", patch: { faderDb: -3 } }],
    ["a clip", { do: "set", in: "clips", track: "a", id: "c", patch: { gainDb: -2 } }],
    ["the mix", { do: "set", in: "tracks", id: "mix", patch: { faderDb: -1 } }],
  ];

  test("delivers the files as they came until the sound is changed", () => {
    const plan = planExport(session);
    expect(plan.ok && [plan.value.files[0]?.tap, plan.value.dither]).toMatchObject([{ at: "clip" }, false]);
    const named = applyStep(session, {
      label: "",
      edits: [{ do: "set", in: "tracks", id: "a", patch: { name: "Kick in" } }],
    });
    expect(named.ok && isOutgrown(named.value.session)).toBe(false);
  });

  test.each(changes)(
    "follows the session after a change of %s, says so, and is itself again when that is undone",
    (_, edit) => {
      const done = applyStep(session, { label: "", edits: [edit] });
      if (!done.ok) throw new Error(done.problems[0]?.what);
      const changed = done.value.session;
      const plan = planExport(changed);
      expect(plan.ok && [plan.value.files[0]?.tap, plan.value.dither]).toMatchObject([
        { at: "group", linked: true },
        true,
      ]);
      expect(preflight(changed, () => "n").map((f) => f.kind)).toContain("outgrown sheet");
      const back = applyStep(changed, done.value.inverse);
      expect(back.ok && isOutgrown(back.value.session)).toBe(false);
      // What is chosen on the sheet from then on holds, and what it has become is written down with it.
      const chosen = applyStep(
        changed,
        onRows(changed, { label: "", edits: [{ do: "set", in: "rows", id: "r", patch: { tap: "clip" } }] }),
      );
      if (!chosen.ok) throw new Error(chosen.problems[0]?.what);
      expect(chosen.value.session.sheet).toMatchObject({ arrived: null, dither: true, rows: [{ tap: "clip" }] });
    },
  );
});
