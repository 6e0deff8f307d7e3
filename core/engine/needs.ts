import { samplesOf } from "../instruments/instrument";
import type { Reshape } from "../session/clips";
import { devicesOf, reshapeOf } from "../session/clips";
import type { PlacedClip, Session, Track } from "../session/document";
import type { Frames } from "../units";

/** A stretch of an asset's frames, or of an asset reshaped, that playing asks for. */
export interface AudioNeed {
  readonly asset: string;
  readonly reshape: Reshape | null;
  readonly from: Frames;
  readonly to: Frames;
}

/** How far effects on clips may read ahead of what they give: more than the longest latency of any. */
const READ_AHEAD: Frames = 16384;

/** Audio that devices hold, those on clips as well, which they read whole, as soon as they are made. */
export function heldAudio(session: Session): readonly string[] {
  const found = new Set<string>();
  const instruments = new Map(session.instruments.map((i) => [i.id, i]));
  for (const track of live(session))
    for (const device of track.frozen ? [] : devicesOf(track)) {
      if (!device.on) continue;
      for (const layer of device.layers) found.add(layer.asset);
      const instrument = instruments.get(device.instrument ?? "");
      for (const sample of instrument ? samplesOf(instrument) : []) found.add(sample);
    }
  return [...found];
}

/**
 * What of which audio the clips and frozen tracks read while the timeline runs from one frame to another. `framesOf`:
 * the length of an asset, reshaped or not.
 */
export function audioNeeds(
  session: Session,
  from: Frames,
  to: Frames,
  framesOf: (asset: string, reshape: Reshape | null) => Frames,
): readonly AudioNeed[] {
  const needs: AudioNeed[] = [];
  const add = (asset: string, reshape: Reshape | null, a: Frames, b: Frames) => {
    const [start, end] = [Math.max(0, a), Math.min(b, framesOf(asset, reshape))];
    if (start < end) needs.push({ asset, reshape, from: start, to: end });
  };
  const visit = (clips: readonly PlacedClip[], shift: Frames, open: Frames, close: Frames) => {
    for (const clip of clips) {
      const start = Math.max(open, clip.start + shift);
      const end = Math.min(close, clip.start + shift + clip.frames);
      if (start >= end) continue;
      const into = clip.offset - clip.start - shift;
      if (clip.kind === "nest") visit(clip.children, clip.start + shift - clip.offset, start, end);
      else {
        const reshape = reshapeOf(clip);
        const ahead = clip.process.some((d) => d.on) ? READ_AHEAD : 0;
        const [a, b] = [start + into, end + into + ahead];
        if (reshape || !clip.reverse) add(clip.asset, reshape, a, b);
        else {
          const frames = framesOf(clip.asset, null);
          add(clip.asset, null, frames - b, frames - a);
        }
      }
    }
  };
  for (const track of live(session)) {
    if (track.frozen) add(track.frozen.asset, null, from, to);
    else
      visit(
        track.clips.filter((c) => c.kind !== "notes"),
        0,
        from,
        to,
      );
  }
  return needs;
}

/** Every asset that playing from anywhere may read something of. */
export function playedAssets(session: Session): readonly string[] {
  const found = new Set(heldAudio(session));
  const visit = (clips: Track["clips"]) => {
    for (const clip of clips) {
      if (clip.kind === "audio") found.add(clip.asset);
      else if (clip.kind === "nest") visit(clip.children);
    }
  };
  for (const track of live(session)) {
    if (track.frozen) found.add(track.frozen.asset);
    else visit(track.clips);
  }
  return [...found];
}

const live = (session: Session): readonly Track[] => session.tracks.filter((t) => !t.parked);
