import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { share } from "../../../tests/setup/share";
import { wholeZone, withSamples } from "../../instruments/instrument";
import { instrumentSchema } from "../../instruments/instrument-schema";
import { MalformedFile } from "../bytes/bytes";
import { readSfz } from "./read";

const read = (text: string, files: Readonly<Record<string, string>> = {}, path = "Lamp/lamp.sfz") =>
  readSfz(path, (wanted) => (wanted === path ? text : (files[wanted] ?? null)), { id: "i" });
const zonesOf = (text: string, files?: Readonly<Record<string, string>>) =>
  read(text, files).instrument.zones.map((z) => wholeZone(z));

describe("an SFZ", () => {
  test("headers hand down, comments are passed over, values hold spaces, keys have names", () => {
    const zones = zonesOf(`
      // a lamp
      <control> default_path=samples/
      <global> ampeg_release=0.5 /* for
      all of it */ volume=-3
      <group> lovel=1 hivel=64 pan=-50
      <region> sample=low note.wav lokey=c2 hikey=59 pitch_keycenter=c3
      <region> sample=..\\other\\high.wav key=72 volume=0
      <group> lovel=65
      <region> sample=loud.wav lokey=c#4 hikey=eb5`);
    expect(zones.map((z) => [z.sample, z.lowKey, z.highKey, z.softest, z.loudest, z.rootKey])).toEqual([
      ["Lamp/samples/low note.wav", 36, 59, 1, 64, 48],
      ["Lamp/other/high.wav", 72, 72, 1, 64, 72],
      ["Lamp/samples/loud.wav", 61, 75, 65, 127, 60],
    ]);
    expect(zones.map((z) => [z.gainDb, z.pan, z.volume.releaseS])).toEqual([
      [-3, -0.5, 0.5],
      [0, -0.5, 0.5],
      [-3, 0, 0.5],
    ]);
  });

  test("includes and definitions are put in; a path out of the folder, a circle and a missing file are refused", () => {
    const files = {
      "Lamp/keys.txt": "#define $LOW 40\n<region> sample=a.wav lokey=$LOW hikey=$LOWER",
      "Lamp/self.txt": '#include "self.txt"',
    };
    const [zone] = zonesOf('#define $LOWER 50\n#include "keys.txt"', files);
    expect([zone?.lowKey, zone?.highKey]).toEqual([40, 50]);
    for (const text of [
      '#include "../../etc/x"',
      '#include "self.txt"',
      '#include "gone.txt"',
      "<region> sample=../../a.wav",
      "no region at all",
    ])
      expect(() => read(text, files), text).toThrow(MalformedFile);
  });

  test("opcodes are in the units of zones", () => {
    const [zone] = zonesOf(`<region> sample=a.wav transpose=-2 tune=15 pitch_keytrack=50 offset=10 end=999
      loop_mode=loop_sustain loop_start=100 loop_end=199 ampeg_attack=0.1 ampeg_sustain=50 amp_veltrack=60
      cutoff=1000 resonance=6 fil_type=hpf_2p fil_veltrack=1200 fileg_depth=2400 fileg_decay=0.3 fileg_sustain=20
      pitchlfo_freq=5 pitchlfo_depth=30 amplfo_freq=4 amplfo_depth=3 seq_length=4 seq_position=3 lorand=0.25 hirand=0.5
      group=2 off_by=3 off_mode=normal xfin_lovel=10 xfin_hivel=40 trigger=release`);
    expect(zone).toMatchObject({
      ...{ cents: -185, keyCents: 50, from: 10, to: 1000, loop: "until release", loopFrom: 100, loopTo: 200 },
      ...{ touch: 0.6, filter: "high", filterHz: 1000, resonanceDb: 6, filterVelocityCents: 1200 },
      ...{ turn: 2, turns: 4, chanceFrom: 0.25, chanceTo: 0.5, exclusive: 2, stoppedBy: 3, stopsSlowly: true },
      ...{ velocityFade: [10, 40, 127, 127], plays: "release" },
    });
    expect(zone?.volume).toMatchObject({ attackS: 0.1, sustainDb: expect.closeTo(6.0206, 3) as number });
    expect(zone?.sweep).toMatchObject({ filterCents: 2400, decayS: 0.3, sustain: 0.2 });
    expect([zone?.vibrato.hz, zone?.vibrato.cents, zone?.lfo.hz, zone?.lfo.db]).toEqual([5, 30, 4, 3]);
  });

  test("what is not played is told by its opcode, and by how many regions ask for it", () => {
    const { lost } = read(`<global> effect1=20
      <region> sample=a.wav eq1_gain=3
      <region> sample=b.wav fil_type=comb cutoff=500
      <curve> curve_index=7`);
    expect(Object.fromEntries(lost.map((l) => [l.opcode, l.regions]))).toEqual({
      ...{ effect1: 2, eq1_gain: 1, fil_type: 1, "<curve>": 1 },
    });
  });

  test("a loop that a recording holds itself is played, unless the region says otherwise", () => {
    const facts = { factsOf: () => ({ loop: { from: 30, to: 60 } }) };
    const of = (text: string) => wholeZone(readSfz("a.sfz", () => text, { id: "i", ...facts }).instrument.zones[0]!);
    expect(of("<region> sample=a.wav")).toMatchObject({ loop: "continuous", loopFrom: 30, loopTo: 60 });
    expect(of("<region> sample=a.wav loop_mode=no_loop")).toMatchObject({ loop: "none" });
    expect(of("<region> sample=a.wav loop_mode=one_shot")).toMatchObject({ loop: "none", playsToEnd: true });
  });

  test("texts that were made to keep a reader busy are read or refused in a moment", () => {
    const region = "<region> sample=a.wav";
    const long = 250_000;
    const texts = [
      ...[" ", "a", "a ", "=", "a=", "<", "$A", "$", "/"].map(
        (piece) => `${region} ${piece.repeat(long / piece.length)}`,
      ),
      `${region} ${"/*".repeat(2_000_000)}`,
      `${region}\n${"x=1 ".repeat(600_000)}`,
      `#define $A ${"b".repeat(250)}\n${`${region} volume=${"$A".repeat(50_000)}\n`.repeat(20)}`,
      `#define $A ${"b".repeat(5000)}\n${region}`,
    ];
    for (const text of texts)
      try {
        expect(read(text).instrument.zones.length).toBeGreaterThan(0);
      } catch (error) {
        if (!(error instanceof MalformedFile)) throw error;
      }
  });

  test("a value may hold what looks like an opcode within a word, and ends at the next one", () => {
    const [zone] = zonesOf("<region>sample=a=b c.wav  pan=20<region> sample=x.wav");
    expect([zone?.sample, zone?.pan]).toEqual(["Lamp/a=b c.wav", 0.2]);
  });

  test("whatever a text says, it is an instrument within its bounds, or is refused", () => {
    const pieces = fc.constantFrom(
      ...[
        "<region>",
        "<group>",
        "<global>",
        "sample=a.wav",
        "lokey=",
        "hikey=c9",
        "key=-1",
        "#define $A 5",
        "$A",
        "volume=",
      ],
      ...[
        "1e99",
        "-7",
        "NaN",
        "loop_mode=loop_continuous",
        "loop_end=9",
        "offset=1e12",
        '#include "b"',
        "//",
        "/*",
        "*/",
        "\n",
      ],
      ...[
        "tune=99999",
        "ampeg_attack=-4",
        "cutoff=0",
        "seq_position=200",
        "pan=900",
        "xfin_lokey=90",
        "end=0",
        "=",
        "<",
        ">",
      ],
    );
    let whole = 0;
    const tries = share(10_000, 10);
    fc.assert(
      fc.property(fc.array(fc.tuple(pieces, fc.constantFrom("", " ", "\n")), { maxLength: 40 }), (list) => {
        const text = `<region> sample=x.wav ${list.map(([a, b]) => a + b).join("")}`;
        try {
          const { instrument } = read(text, { "Lamp/b": "<region> sample=b.wav" });
          // Paths stand for recordings that are not stored yet.
          const problems = instrumentSchema.safeParse(withSamples(instrument, () => "0".repeat(64)));
          expect(
            problems.success ? [] : problems.error.issues.map((i) => `${i.path.join(".")}: ${i.message}`),
            text,
          ).toEqual([]);
          whole++;
        } catch (error) {
          if (!(error instanceof MalformedFile)) throw error;
        }
      }),
      { numRuns: tries, seed: 4 },
    );
    expect(whole).toBeGreaterThan(tries / 10);
  });
});
