import type { Fate, Part } from "../timeline/loss";
import type { ReportLine } from "../timeline/report";

/** What a part is called, one and many. */
const NAMES: Readonly<Record<Part, readonly [one: string, many: string]>> = {
  clips: ["clip", "clips"],
  "clip gain": ["clip's gain", "clips' gains"],
  fades: ["fade", "fades"],
  "curved fades": ["curved fade", "curved fades"],
  crossfades: ["crossfade", "crossfades"],
  "layered clips": ["clip that lies over another", "clips that lie over others"],
  "muted clips": ["muted clip", "muted clips"],
  "cut fades": ["fade that another clip cuts", "fades that other clips cut"],
  "stretched clips": ["stretched or transposed clip", "stretched or transposed clips"],
  "reversed clips": ["reversed clip", "reversed clips"],
  "clip effects": ["clip with effects", "clips with effects"],
  nests: ["nest", "nests"],
  "channels of clips": ["choice of one channel", "choices of one channel"],
  notes: ["note", "notes"],
  "looped phrases": ["looped phrase", "looped phrases"],
  instruments: ["instrument", "instruments"],
  devices: ["device", "devices"],
  faders: ["fader", "faders"],
  pans: ["pan", "pans"],
  mutes: ["mute", "mutes"],
  "muted tracks": ["muted track", "muted tracks"],
  "parked tracks": ["parked track", "parked tracks"],
  automation: ["line of automation", "lines of automation"],
  "device automation": ["line of a device's automation", "lines of devices' automation"],
  sends: ["send", "sends"],
  returns: ["return", "returns"],
  groups: ["group", "groups"],
  "the mix's chain": ["the mix's chain", "the mix's chain"],
  "the mix's fader": ["the mix's fader", "the mix's fader"],
  tempo: ["tempo", "changes of tempo"],
  "tempo ramps": ["gliding tempo", "gliding tempos"],
  meter: ["meter", "changes of meter"],
  markers: ["marker", "markers"],
  ranges: ["saved range", "saved ranges"],
  takes: ["take", "takes"],
  freezes: ["frozen track", "frozen tracks"],
  "the stem sheet": ["the stem sheet", "the stem sheet"],
  "places between frames": ["place between two frames", "places between frames"],
  "places between ticks": ["place between two ticks", "places between ticks"],
  solos: ["solo", "solos"],
  "note expressions": ["note expression", "note expressions"],
  controllers: ["controller event", "controller events"],
  "colours and comments": ["colour or comment", "colours and comments"],
  "what it holds beside sound": ["thing beside the sound", "things beside the sound"],
  "speed changes": ["change of speed", "changes of speed"],
  "missing media": ["clip of a missing file", "clips of missing files"],
  "levels above full scale": ["print above full scale", "prints above full scale"],
  names: ["name", "names"],
};

/** Parts of which there is one, so that no number is told. */
const SINGLE: ReadonlySet<Part> = new Set(["the mix's chain", "the mix's fader", "the stem sheet"]);

/** What it means, where the fate alone does not say it. */
const MEANS: Readonly<Partial<Record<`${Fate} ${Part}`, string>>> = {
  "approximated layered clips": "they stand on tracks beside, with the same fader, and sound the same",
  "approximated curved fades": "told as straight ones",
  "approximated looped phrases": "written out round by round",
  "approximated tempo ramps": "told in steps; no note is more than 1 ms off",
  "approximated places between frames": "moved to the nearest frame",
  "approximated missing media": "silence stands for them until their files are relinked",
  "approximated levels above full scale": "held at full scale; choose 32-bit float prints to keep them",
  "left out solos": "all tracks sound; solo is for listening here",
  "left out note expressions": "notes keep their pitch, length and velocity",
  "left out devices": "what they do is not heard there",
  "left out groups": "their members run into nothing; what groups do is not heard there",
  "left out faders": "every track plays at its clips' level",
  "left out mutes": "the tracks sound",
  "printed to audio instruments": "each as one file, after its devices",
  "printed to audio devices": "each track as one file, after its devices",
};

/** A line of a loss report in words: what, and what became of it. */
export function sayLoss({ part, fate, count, where, details }: ReportLine): {
  readonly what: string;
  readonly more: string;
} {
  const [one, many] = NAMES[part];
  const what = SINGLE.has(part) ? one : `${count} ${count === 1 ? one : many}`;
  const means = MEANS[`${fate} ${part}`];
  const places =
    where.length === 0
      ? ""
      : where.length <= 3
        ? `on ${where.join(", ")}`
        : `on ${where.slice(0, 2).join(", ")} and ${where.length - 2} more`;
  const noted = details.slice(0, 3).join("; ");
  return { what, more: [places, means, noted].filter((s) => s !== undefined && s !== "").join(" · ") };
}

/** Over the lines of one fate. */
export const FATE_HEADINGS: Readonly<Record<Fate, string>> = {
  "left out": "Left out",
  approximated: "Approximated",
  "printed to audio": "Printed to audio",
  kept: "Kept",
};
