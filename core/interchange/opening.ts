import { resampledFrames } from "../analysis/resample";
import type { Session } from "../session/document";
import { mixOf } from "../session/routing";
import type { Loss } from "../timeline/loss";
import type { Timeline } from "../timeline/timeline";
import type { Frames, Hertz } from "../units";
import type { FoundMedia } from "./from-timeline";
import { fromTimeline, mediaKey } from "./from-timeline";

/** What is known of a medium before it is imported; null: it is missing, or is no audio. */
export type MediumFacts = { readonly frames: Frames; readonly rate: Hertz; readonly channels: number } | null;

/** More than any clip reaches into: silence that stands for a missing file is as long as it has to be. */
const ENDLESS: Frames = 1099511627776;

/**
 * What a timeline loses when it is opened as a session, without opening it: all that `fromTimeline` does not keep.
 * `rate`: the session's.
 */
export function lossesOfOpening(
  timeline: Timeline,
  factsOf: (media: string) => MediumFacts,
  rate: Hertz,
): readonly Loss[] {
  const found = new Map<string, FoundMedia>();
  for (const { media, channel } of timeline.tracks.flatMap((t) => t.clips)) {
    const facts = factsOf(media);
    const { name, channels } = timeline.media.find((m) => m.id === media) ?? { name: "Audio", channels: 1 };
    const frames = facts ? resampledFrames(facts.frames, facts.rate, rate) : ENDLESS;
    const asset = { id: media, name, frames, rate, channels: channel === null ? (facts?.channels ?? channels) : 1 };
    found.set(mediaKey(media, channel), {
      asset: { ...asset, origin: facts ? "imported" : "missing" },
      isMissing: facts === null,
    });
  }
  let ids = 0;
  return notKept(fromTimeline(timeline, found, { newId: () => `id-${ids++}`, rate }).losses);
}

/** What becomes of an opened session's own mix when it is laid on another session. */
export function lossesOfLayingOn(opened: Session, withTempo: boolean): readonly Loss[] {
  const mix = mixOf(opened);
  const loss = (part: Loss["part"], detail: string): Loss => ({ part, fate: "left out", where: "", count: 1, detail });
  return [
    ...(mix.devices.length > 0 ? [loss("the mix's chain", "the session keeps its own")] : []),
    ...(mix.faderDb !== 0 || mix.automation.length > 0 ? [loss("the mix's fader", "the session keeps its own")] : []),
    ...(withTempo ? [] : [loss("tempo", "the session keeps its own")]),
  ];
}

export const notKept = (losses: readonly Loss[]): readonly Loss[] => losses.filter((l) => l.fate !== "kept");
