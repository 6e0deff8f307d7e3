import type { Instrument, Zone } from "../../instruments/instrument";
import { octaves, gainToDb } from "../../math";
import { MalformedFile } from "../bytes/bytes";
import { type FindText, type Section, pathIn, sectionsOf } from "./text";

/** An opcode that is not played here, and by how many regions it is asked for. */
export interface LostOpcode {
  readonly opcode: string;
  readonly regions: number;
}

export interface ReadSfz {
  /** Samples are named by their paths in the instrument's folder. */
  readonly instrument: Instrument;
  readonly lost: readonly LostOpcode[];
}

/** What is known of a recording before its instrument is made: a loop that it holds itself. */
export interface SampleFacts {
  readonly loop: { readonly from: number; readonly to: number } | null;
}

const MOST_REGIONS = 4096;
/** An opcode's number, and what it is held between. */
type Range = readonly [least: number, most: number];

/**
 * Reads an SFZ, version 1 and what is common of 2: https://sfzformat.com has what each opcode means; the published
 * description of version 1 is where both differ. Headers hand down: global, master, group, region. Throws
 * `MalformedFile`.
 */
export function readSfz(
  path: string,
  text: FindText,
  { id, factsOf = () => null }: { readonly id: string; readonly factsOf?: (path: string) => SampleFacts | null },
): ReadSfz {
  const folder = path.includes("/") ? path.slice(0, path.lastIndexOf("/")) : "";
  const control = new Map<string, string>();
  const levels: Record<"global" | "master" | "group", Map<string, string>> = {
    global: new Map(),
    master: new Map(),
    group: new Map(),
  };
  const zones: Zone[] = [];
  const lost = new Map<string, number>();
  for (const { header, opcodes } of sectionsOf(path, text)) {
    if (header === "control") for (const [name, value] of opcodes) control.set(name, value);
    else if (header === "global" || header === "master" || header === "group") hand(levels, header, opcodes);
    else if (header === "region") {
      if (zones.length >= MOST_REGIONS) throw new MalformedFile(`There are more than ${MOST_REGIONS} regions`);
      const all = new Map([...levels.global, ...levels.master, ...levels.group, ...opcodes]);
      const region = new Region(all, control, folder, factsOf);
      const zone = region.zone();
      if (zone) zones.push(zone);
      for (const name of region.unused()) lost.set(name, (lost.get(name) ?? 0) + 1);
    } else lost.set(`<${header}>`, (lost.get(`<${header}>`) ?? 0) + 1);
  }
  if (zones.length === 0) throw new MalformedFile("There is no region with a recording");
  const name = path.slice(path.lastIndexOf("/") + 1).replace(/\.sfz$/i, "");
  return {
    instrument: { ...{ id, name: name.slice(0, 200), origin: path.slice(-300), zones }, modulators: [] },
    lost: [...lost].map(([opcode, regions]) => ({ opcode, regions })),
  };
}

/** A header begins anew, and so do those below it. */
function hand(
  levels: Record<"global" | "master" | "group", Map<string, string>>,
  header: "global" | "master" | "group",
  opcodes: Section["opcodes"],
): void {
  levels[header] = new Map(opcodes);
  if (header === "global") levels.master = new Map();
  if (header !== "group") levels.group = new Map();
}

/** What opcodes are called in other words. */
const ALIASES: Readonly<Record<string, string>> = {
  loopmode: "loop_mode",
  loopstart: "loop_start",
  loopend: "loop_end",
  pitch: "tune",
  gain: "volume",
  offby: "off_by",
  filtype: "fil_type",
};
const FILTERS: Readonly<Record<string, Zone["filter"]>> = { lpf_2p: "low", bpf_2p: "band", hpf_2p: "high" };
const LOOPS: Readonly<Record<string, NonNullable<Zone["loop"]>>> = {
  no_loop: "none",
  one_shot: "none",
  loop_continuous: "continuous",
  loop_sustain: "until release",
};
const NOTES: Readonly<Record<string, number>> = { c: 0, d: 2, e: 4, f: 5, g: 7, a: 9, b: 11 };

/** A key as a number, or by its name: `c4` is 60. */
function keyOf(text: string): number | null {
  if (/^-?\d+$/.test(text)) return Number(text);
  const [, letter = "", sign = "", octave = ""] = /^([a-g])([#b]?)(-?\d+)$/i.exec(text) ?? [];
  const note = NOTES[letter.toLowerCase()];
  return note === undefined ? null : note + (sign === "#" ? 1 : sign === "b" ? -1 : 0) + 12 * (Number(octave) + 1);
}

/** One region with all that is handed down to it. */
class Region {
  private readonly values: ReadonlyMap<string, string>;
  private readonly used = new Set<string>();

  constructor(
    all: ReadonlyMap<string, string>,
    private readonly control: ReadonlyMap<string, string>,
    private readonly folder: string,
    private readonly factsOf: (path: string) => SampleFacts | null,
  ) {
    this.values = new Map([...all].map(([name, value]) => [ALIASES[name] ?? name, value]));
  }

  /** Opcodes that nothing here has asked for, and those whose value is not one that is played. */
  unused(): readonly string[] {
    return [...this.values.keys()].filter((name) => !this.used.has(name));
  }

  private text(name: string): string | undefined {
    const value = this.values.get(name);
    if (value !== undefined) this.used.add(name);
    return value;
  }

  private number(name: string, plain: number, [least, most]: Range): number {
    const value = Number(this.text(name) ?? plain);
    return Number.isFinite(value) ? Math.max(least, Math.min(most, value)) : plain;
  }

  private key(name: string, plain: number): number {
    const found = keyOf(this.text(name) ?? "");
    if (found === null) return plain;
    const moved = Number(this.control.get("note_offset") ?? 0) + 12 * Number(this.control.get("octave_offset") ?? 0);
    return found + (Number.isFinite(moved) ? moved : 0);
  }

  private one<T>(name: string, choices: Readonly<Record<string, T>>, plain: T): T {
    const value = this.values.get(name);
    if (value === undefined) return plain;
    const found = choices[value.toLowerCase()];
    if (found === undefined) return plain;
    this.used.add(name);
    return found;
  }

  /** The region as a zone; null where it has no recording that can be found, or plays at no key. */
  zone(): Zone | null {
    const sample = this.text("sample");
    if (sample === undefined || sample === "" || sample.startsWith("*")) return null;
    const path = pathIn(this.folder, `${this.control.get("default_path") ?? ""}${sample}`);
    if (path === null) throw new MalformedFile(`"${sample}" lies outside of the folder`);
    const key = this.key("key", NaN);
    const keys = Number.isNaN(key) ? [0, 127, 60] : [key, key, key];
    const [lowKey, highKey] = [this.key("lokey", keys[0] ?? 0), this.key("hikey", keys[1] ?? 127)];
    const [softest, loudest] = [this.number("lovel", 0, [0, 127]), this.number("hivel", 127, [0, 127])];
    const turns = Math.round(this.number("seq_length", 1, [1, 100]));
    const turn = Math.round(this.number("seq_position", 1, [1, 100])) - 1;
    if (highKey < 0 || lowKey > 127 || lowKey > highKey || softest > loudest || turn >= turns) return null;
    return {
      sample: path,
      ...{ lowKey: Math.max(0, lowKey), highKey: Math.min(127, highKey) },
      ...{ softest: Math.round(softest), loudest: Math.round(loudest), turns, turn },
      ...{ chanceFrom: this.number("lorand", 0, [0, 1]), chanceTo: this.number("hirand", 1, [0, 1]) },
      plays: this.one<NonNullable<Zone["plays"]>>("trigger", { attack: "attack", release: "release" }, "attack"),
      ...this.pitch(keys[2] ?? 60),
      ...this.places(path),
      ...this.level(),
      ...this.filtered(),
      ...this.moved(),
    };
  }

  private pitch(plain: number) {
    const center = this.text("pitch_keycenter");
    const rootKey = center === undefined ? plain : (keyOf(center) ?? plain);
    return {
      rootKey: Math.max(-60, Math.min(188, rootKey)),
      keyCents: this.number("pitch_keytrack", 100, [-1200, 1200]),
      cents: 100 * this.number("transpose", 0, [-127, 127]) + this.number("tune", 0, [-9600, 9600]),
    };
  }

  private places(path: string) {
    const most: Range = [0, 4_294_967_296];
    const facts = this.factsOf(path);
    const end = this.number("end", -1, [-1, 4_294_967_296]);
    const loop = this.one("loop_mode", LOOPS, facts?.loop ? "continuous" : "none");
    const isWhole = this.values.get("loop_mode")?.toLowerCase() === "one_shot";
    // The last frame is in the loop, as it is in what plays: both are one more here.
    const to = this.number("loop_end", (facts?.loop?.to ?? 0) - 1, [-1, 4_294_967_296]) + 1;
    return {
      from: Math.round(this.number("offset", 0, most)),
      to: end < 0 ? null : Math.round(end) + 1,
      loop,
      ...(loop === "none"
        ? {}
        : { loopFrom: Math.round(this.number("loop_start", facts?.loop?.from ?? 0, most)), loopTo: Math.round(to) }),
      ...(isWhole ? { playsToEnd: true } : {}),
    };
  }

  private envelope(name: string, plainRelease: number) {
    const time = (part: string, plain = 0) => this.number(`${name}_${part}`, plain, [0, 100]);
    return {
      ...{ delayS: time("delay"), attackS: time("attack"), holdS: time("hold"), decayS: time("decay") },
      releaseS: time("release", plainRelease),
    };
  }

  private level() {
    const part = this.number("amplitude", 100, [0, 100]) / 100;
    const sustain = this.number("ampeg_sustain", 100, [0, 100]) / 100;
    const fade = (what: string): Zone["keyFade"] => {
      const names = [`xfin_lo${what}`, `xfin_hi${what}`, `xfout_lo${what}`, `xfout_hi${what}`];
      if (!names.some((n) => this.values.has(n))) return null;
      return names.map((n, i) => this.key(n, i < 2 ? 0 : 127)) as unknown as Zone["keyFade"];
    };
    const own = this.envelope("ampeg", 0.001);
    const group = Math.round(this.number("group", 0, [0, 2_147_483_648]));
    return {
      gainDb: Math.max(-144, Math.min(60, this.number("volume", 0, [-144, 60]) + gainToDb(part))),
      pan: this.number("pan", 0, [-100, 100]) / 100,
      touch: this.number("amp_veltrack", 100, [-100, 100]) / 100,
      keyDb: this.number("amp_keytrack", 0, [-96, 12]),
      keyDbFrom: Math.max(0, Math.min(127, this.key("amp_keycenter", 60))),
      ...{ keyFade: fade("key"), velocityFade: fade("vel") },
      fadesByPower: this.one(
        "xf_velcurve",
        { power: true, gain: false },
        this.one("xf_keycurve", { power: true, gain: false }, true),
      ),
      volume: {
        ...own,
        delayS: own.delayS + this.number("delay", 0, [0, 100]),
        sustainDb: sustain <= 0 ? 100 : Math.min(100, -gainToDb(sustain)),
      },
      ...{ exclusive: group, stoppedBy: Math.round(this.number("off_by", 0, [0, 2_147_483_648])) },
      stopsSlowly: this.one("off_mode", { fast: false, normal: true }, false),
    };
  }

  private filtered() {
    const hz = this.text("cutoff");
    if (hz === undefined || !(Number(hz) > 0)) return {};
    const keyCents = this.number("fil_keytrack", 0, [-1200, 1200]);
    const center = this.key("fil_keycenter", 60);
    return {
      filter: this.one("fil_type", FILTERS, "low"),
      filterHz: Math.max(1, Math.min(100_000, Number(hz) * octaves((keyCents * (60 - center)) / 1200))),
      resonanceDb: this.number("resonance", 0, [0, 40]),
      filterKeyCents: keyCents,
      filterVelocityCents: this.number("fil_veltrack", 0, [-9600, 9600]),
    };
  }

  private moved() {
    const [pitch, filter] = [this.envelope("pitcheg", 0), this.envelope("fileg", 0)];
    const pitchDepth = this.number("pitcheg_depth", 0, [-12_000, 12_000]);
    const filterDepth = this.number("fileg_depth", 0, [-12_000, 12_000]);
    const isPitch = pitchDepth !== 0;
    // One envelope moves both where a region asks for both: that of the pitch.
    if (isPitch && filterDepth !== 0) this.used.delete("fileg_depth");
    const sustain = this.number(isPitch ? "pitcheg_sustain" : "fileg_sustain", 100, [0, 100]) / 100;
    const lfo = (name: string) => ({
      delayS: this.number(`${name}_delay`, 0, [0, 100]),
      hz: this.number(`${name}_freq`, 0, [0, 20]),
    });
    const db = this.number("amplfo_depth", 0, [-10, 10]);
    const filterCents = this.number("fillfo_depth", 0, [-1200, 1200]);
    const [amp, fil] = [lfo("amplfo"), lfo("fillfo")];
    if (db !== 0 && filterCents !== 0 && amp.hz !== fil.hz) this.used.delete("fillfo_freq");
    return {
      sweep: {
        ...(isPitch ? pitch : filter),
        ...{ sustain, cents: pitchDepth, filterCents: isPitch ? 0 : filterDepth },
      },
      vibrato: { ...lfo("pitchlfo"), cents: this.number("pitchlfo_depth", 0, [-1200, 1200]) },
      lfo: { ...(db !== 0 ? amp : fil), db, filterCents },
    };
  }
}
