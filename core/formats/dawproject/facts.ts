import type { Carries } from "../../timeline/carries";
import type { TimelineTrack } from "../../timeline/timeline";

/** What DAWproject 1.0 files carry. */
export const dawprojectCarries: Carries = {
  audio: true,
  notes: true,
  channelPicks: false,
  clipGain: true,
  fades: ["linear"],
  crossfades: ["linear"],
  fader: true,
  pan: [1, 2],
  mute: true,
  lanes: ["fader", "pan", "mute", "send"],
  lanesIn: "gains",
  sends: true,
  routing: true,
  devices: true,
  tempo: true,
  tempoRamps: true,
  meter: true,
  leadIn: true,
  markers: true,
  startTime: false,
};

/** The ZIP's parts. DAWproject 1.0, file structure. */
export const DAWPROJECT_ENDING = ".dawproject";
export const PROJECT_XML = "project.xml";
export const METADATA_XML = "metadata.xml";
export const AUDIO_FOLDER = "audio";
export const STATE_FOLDER = "plugins";

/** Tracks in the order that nesting gives them: what runs into a group stands in front of it. */
export function inGroups(tracks: readonly TimelineTrack[]): readonly TimelineTrack[] {
  const groups = new Set(tracks.filter((t) => t.kind === "group").map((t) => t.id));
  const inside = (id: string): readonly TimelineTrack[] => tracks.filter((t) => t.output === id).flatMap(withInside);
  const withInside = (t: TimelineTrack): readonly TimelineTrack[] => (groups.has(t.id) ? [...inside(t.id), t] : [t]);
  return tracks.filter((t) => t.output === null || !groups.has(t.output)).flatMap(withInside);
}
