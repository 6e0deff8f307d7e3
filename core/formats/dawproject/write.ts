import { utf8ToBytes } from "@noble/hashes/utils.js";
import { dbToGain } from "../../math";
import { meterMap } from "../../time/meter";
import type { Timeline, TimelineClip, TimelineDevice, TimelineLane, TimelineTrack } from "../../timeline/timeline";
import type { Ticks } from "../../units";
import { TICKS_PER_QUARTER } from "../../units";
import { xmlText } from "../xml/text";
import { element } from "../xml/write";
import { METADATA_XML, PROJECT_XML, STATE_FOLDER } from "./facts";

/** A file of the ZIP beside the audio. */
export interface DawprojectFile {
  readonly name: string;
  readonly bytes: Uint8Array;
}

const XML = `<?xml version="1.0" encoding="UTF-8"?>\n`;

/**
 * A timeline as DAWproject 1.0: `project.xml`, `metadata.xml` and the devices' states. What lies in frames is told in
 * seconds, to as many digits as give every frame back; what lies in bars in beats. Audio is named by the media's paths
 * inside the ZIP. DAWproject 1.0, Project.xsd.
 */
export function writeDawproject(timeline: Timeline): readonly DawprojectFile[] {
  const states: DawprojectFile[] = [];
  const project = new ProjectWriter(timeline, (state) => {
    const name = `${STATE_FOLDER}/${states.length + 1}.json`;
    states.push({ name, bytes: utf8ToBytes(state) });
    return name;
  }).write();
  return [
    { name: PROJECT_XML, bytes: utf8ToBytes(XML + project) },
    {
      name: METADATA_XML,
      bytes: utf8ToBytes(XML + element("MetaData", {}, [element("Title", {}, [xmlText(timeline.name)])])),
    },
    ...states,
  ];
}

const beats = (ticks: Ticks): number => ticks / TICKS_PER_QUARTER;

class ProjectWriter {
  private readonly index: ReadonlyMap<string, number>;
  private readonly media: ReadonlyMap<string, Timeline["media"][number]>;

  constructor(
    private readonly timeline: Timeline,
    private readonly keepState: (state: string) => string,
  ) {
    this.index = new Map(timeline.tracks.map((t, i) => [t.id, i]));
    this.media = new Map(timeline.media.map((m) => [m.id, m]));
  }

  write(): string {
    const { tempo, meter } = this.timeline;
    const first = tempo?.[0];
    const beat = meter?.[0];
    const transport = [
      ...(first ? [parameter("Tempo", "tempo", "Tempo", { max: 500, min: 10, unit: "bpm", value: first.bpm })] : []),
      ...(beat
        ? [element("TimeSignature", { denominator: beat.denominator, numerator: beat.numerator, id: "meter" })]
        : []),
    ];
    return element("Project", { version: "1.0" }, [
      element("Application", { name: "Stemzo", version: "1" }),
      ...(transport.length > 0 ? [element("Transport", {}, transport)] : []),
      element("Structure", {}, this.structure(null)),
      element("Arrangement", { id: "arrangement" }, this.arrangement()),
      element("Scenes", {}),
    ]);
  }

  private seconds(frames: number): number {
    return frames / this.timeline.rate;
  }

  private n(track: TimelineTrack): number {
    return this.index.get(track.id) ?? 0;
  }

  /** Tracks that run into a group, or into the mix, and the mix itself. */
  private structure(output: string | null): readonly string[] {
    const groups = new Set(this.timeline.tracks.filter((t) => t.kind === "group").map((t) => t.id));
    const mix = this.timeline.tracks.find((t) => t.kind === "mix");
    return this.timeline.tracks
      .filter((t) => (t.output !== null && groups.has(t.output) ? t.output : null) === output)
      .map((track) => {
        const i = this.n(track);
        const contentType = { audio: "audio", notes: "notes", group: "tracks", return: "audio", mix: "audio notes" };
        const role = { audio: "regular", notes: "regular", group: "submix", return: "effect", mix: "master" };
        const to = track.kind === "mix" ? undefined : this.index.get(track.output ?? mix?.id ?? "");
        const channel = element(
          "Channel",
          {
            audioChannels: track.channels,
            destination: to === undefined ? null : `channel${to}`,
            role: role[track.kind],
            solo: false,
            id: `channel${i}`,
          },
          [
            ...(track.devices.length > 0
              ? [
                  element(
                    "Devices",
                    {},
                    track.devices.map((d, k) => this.device(d, i, k)),
                  ),
                ]
              : []),
            element("Mute", { value: track.mute, id: `mute${i}`, name: "Mute" }),
            parameter("Pan", `pan${i}`, "Pan", { max: 1, min: 0, unit: "normalized", value: (track.pan + 1) / 2 }),
            ...(track.sends.length > 0 ? [element("Sends", {}, this.sends(track, i))] : []),
            volume(`volume${i}`, track.faderDb),
          ],
        );
        const attributes = { contentType: contentType[track.kind], loaded: true, id: `track${i}`, name: track.name };
        return element("Track", attributes, [channel, ...(track.kind === "group" ? this.structure(track.id) : [])]);
      });
  }

  private sends(track: TimelineTrack, i: number): readonly string[] {
    return track.sends.map((send, k) =>
      element(
        "Send",
        {
          destination: `channel${this.index.get(send.to) ?? 0}`,
          type: send.position === "before fader" ? "pre" : "post",
          id: `send${i}-${k}`,
        },
        [volume(`send${i}-${k}-volume`, send.gainDb)],
      ),
    );
  }

  private device({ name, isInstrument, isOn, state }: TimelineDevice, i: number, k: number): string {
    const attributes = {
      deviceName: name,
      deviceRole: isInstrument ? "instrument" : "audioFX",
      deviceVendor: "Stemzo",
      loaded: true,
      id: `device${i}-${k}`,
      name,
    };
    return element("BuiltinDevice", attributes, [
      element("Parameters", {}),
      element("Enabled", { value: isOn, id: `device${i}-${k}-on`, name: "On" }),
      element("State", { path: this.keepState(state) }),
    ]);
  }

  private arrangement(): readonly string[] {
    const { tracks, markers, tempo, meter, leadIn } = this.timeline;
    const lanes = tracks.map((t) => this.lanes(t)).filter((l) => l !== "");
    const meters = meter ? meterMap(meter, leadIn) : null;
    return [
      element("Lanes", { timeUnit: "beats", id: "lanes" }, lanes),
      ...(markers.length > 0
        ? [
            element(
              "Markers",
              { timeUnit: "seconds", id: "markers" },
              markers.map((m) => element("Marker", { time: this.seconds(m.frame), name: m.name })),
            ),
          ]
        : []),
      ...(tempo
        ? [
            element("TempoAutomation", { unit: "bpm", timeUnit: "beats", id: "tempos" }, [
              element("Target", { parameter: "tempo" }),
              ...tempo.map(({ tick, bpm, shape }) =>
                element("RealPoint", {
                  time: beats(tick),
                  value: bpm,
                  interpolation: shape === "ramp" ? "linear" : "hold",
                }),
              ),
            ]),
          ]
        : []),
      ...(meter && meters
        ? [
            element("TimeSignatureAutomation", { timeUnit: "beats", id: "meters" }, [
              element("Target", { parameter: "meter" }),
              ...meter.map(({ bar, numerator, denominator }) =>
                element("TimeSignaturePoint", { time: beats(meters.barToTick(bar)), numerator, denominator }),
              ),
            ]),
          ]
        : []),
    ];
  }

  private lanes(track: TimelineTrack): string {
    const i = this.n(track);
    const parts = [
      ...(track.clips.length > 0
        ? [
            element(
              "Clips",
              { timeUnit: "seconds", id: `clips${i}` },
              track.clips.map((c) => this.clip(c)),
            ),
          ]
        : []),
      ...(track.notes.length > 0
        ? [
            element(
              "Clips",
              { timeUnit: "beats", id: `notes${i}` },
              track.notes.map((clip) =>
                element(
                  "Clip",
                  {
                    time: beats(clip.start),
                    duration: beats(clip.ticks),
                    contentTimeUnit: "beats",
                    playStart: 0,
                    name: clip.name,
                  },
                  [
                    element(
                      "Notes",
                      {},
                      clip.notes.map((n) =>
                        element("Note", {
                          time: beats(n.tick),
                          duration: beats(n.ticks),
                          channel: 0,
                          key: n.pitch,
                          vel: n.velocity / 127,
                          rel: 0.5,
                        }),
                      ),
                    ),
                  ],
                ),
              ),
            ),
          ]
        : []),
      ...track.lanes.map((l, k) => this.lane(l, i, k)),
    ];
    return parts.length === 0 ? "" : element("Lanes", { track: `track${i}`, id: `lanes${i}` }, parts);
  }

  private clip(clip: TimelineClip): string {
    const { name, start, frames, offset, gainDb, fadeIn, fadeOut } = clip;
    const media = this.media.get(clip.media);
    if (!media) throw new RangeError(`there is no file ${clip.media}`);
    const audio = element(
      "Audio",
      { channels: media.channels, duration: media.frames / media.rate, sampleRate: media.rate },
      [element("File", { path: media.path ?? "", external: false })],
    );
    const attributes = {
      time: this.seconds(start),
      duration: this.seconds(frames),
      contentTimeUnit: "seconds",
      playStart: this.seconds(offset),
      playStop: this.seconds(offset + frames),
      fadeTimeUnit: "seconds",
      fadeInTime: fadeIn.frames === 0 ? null : this.seconds(fadeIn.frames),
      fadeOutTime: fadeOut.frames === 0 ? null : this.seconds(fadeOut.frames),
      name,
    };
    if (gainDb === 0) return element("Clip", attributes, [audio]);
    const gain = element("Points", { unit: "linear" }, [
      element("Target", { expression: "gain" }),
      element("RealPoint", { time: 0, value: dbToGain(gainDb), interpolation: "hold" }),
    ]);
    return element("Clip", attributes, [element("Lanes", { timeUnit: "seconds" }, [audio, gain])]);
  }

  private lane({ target, send, points }: TimelineLane, i: number, k: number): string {
    const parameter =
      target === "fader" ? `volume${i}` : target === "send" ? `send${i}-${send ?? 0}-volume` : `${target}${i}`;
    const value = (v: number) => (target === "pan" ? (v + 1) / 2 : dbToGain(v));
    return element(
      "Points",
      {
        timeUnit: "seconds",
        unit: target === "mute" ? null : target === "pan" ? "normalized" : "linear",
        id: `points${i}-${k}`,
      },
      [
        element("Target", { parameter }),
        ...points.map((p) =>
          target === "mute"
            ? element("BoolPoint", { time: this.seconds(p.frame), value: p.value >= 0.5 })
            : element("RealPoint", {
                time: this.seconds(p.frame),
                value: value(p.value),
                interpolation: p.shape,
              }),
        ),
      ],
    );
  }
}

const parameter = (
  kind: string,
  id: string,
  name: string,
  {
    max,
    min,
    unit,
    value,
  }: { readonly max: number; readonly min: number; readonly unit: string; readonly value: number },
): string => element(kind, { max, min, unit, value, id, name });

/** Four times is 12 dB, the highest that a fader goes here; clips and sends may be louder, so the top is theirs. */
const volume = (id: string, db: number): string =>
  parameter("Volume", id, "Volume", { max: 16, min: 0, unit: "linear", value: dbToGain(db) });
