import { PEAK_FRAMES } from "../../core/analysis/peaks";
import { fadeGain } from "../../core/engine/fade";
import { dbToGain } from "../../core/math";
import { TimeMap, centsAt } from "../../core/session/bend";
import { isBent } from "../../core/session/clips";
import type { AudioClip } from "../../core/session/document";
import type { Frames } from "../../core/units";
import type { CloseUp } from "../canvas/close-up";
import { closeUpOf } from "../canvas/close-up";
import type { Inks } from "../canvas/inks";
import { overviewOf } from "../canvas/overviews";
import { processedCloseUp, processedOf } from "../canvas/processed";
import type { TrackState } from "../session/track-state";
import { xOf } from "../timeline/view";
import type { LanesPicture } from "./lanes-picture";
import type { Wave } from "./waves";
import { PAD, hollow, samples, shape, wave } from "./waves";

/** The sound of a clip of audio as it is heard: its fades, its gain, its effects, its bends. */
export function drawAudio(
  c: CanvasRenderingContext2D,
  p: LanesPicture,
  clip: AudioClip,
  x: number,
  right: number,
  y: number,
  state: TrackState,
  inks: Inks,
): void {
  const gain = dbToGain(clip.gainDb);
  const perPixel = p.view.framesPerPixel;
  const into = (at: number) => (at - x) * perPixel;
  const level = (at: number) => {
    const i = into(at);
    const up = clip.fadeIn.frames > 0 && i < clip.fadeIn.frames ? fadeGain(clip.fadeIn, Math.max(0, i)) : 1;
    const left = clip.frames - i;
    const down =
      clip.fadeOut.frames > 0 && left < clip.fadeOut.frames ? fadeGain(clip.fadeOut, Math.max(0, left - 1)) : 1;
    return gain * up * down;
  };
  const asset = p.session.assets.find((a) => a.id === clip.asset);
  const frames = asset?.frames ?? 0;
  const map = clip.timeMarks.length > 0 ? new TimeMap(frames, clip) : null;
  const assetFrame = (at: number) => {
    const stretched = clip.offset + into(at);
    const frame = map ? map.toRecording(stretched) : stretched / clip.stretch;
    return clip.reverse ? frames - frame : frame;
  };
  const bend = () => {
    if (!p.plain && isBent(clip)) drawBend(c, p, clip, map ?? new TimeMap(frames, clip), { x, right, y }, inks);
  };
  const processed = processedOf(p.session, clip);
  if (processed) {
    const rings = clip.ringsOn ? (processed.overview.length / 2) * PEAK_FRAMES - clip.frames : 0;
    const end = right + Math.max(0, rings) / perPixel;
    const place = {
      ...{ x, right: end, y },
      frameOf: (at: number) => into(at) + clip.offset - processed.offset,
      level: clip.ringsOn ? () => gain : level,
    };
    const sides = nearby(p, place, (from, to) => processedCloseUp(p.session, clip, from, to));
    if (sides.length > 0 && perPixel <= SINGLE_FRAMES)
      drawSamples(c, p, sides, { ...place, frames: Infinity, xOf: (frame) => x + frame / perPixel, state, inks });
    else {
      const drawn = wave(p, processed.overview, x, end, y, { ...place, closeUps: sides });
      if (drawn) ink(c, drawn, state, inks);
    }
    return bend();
  }
  const place = { x, right, y, frameOf: assetFrame, level };
  const sides = nearby(p, place, assetSides(clip.asset, asset?.channels ?? 1));
  if (sides.length > 0 && perPixel / clip.stretch <= SINGLE_FRAMES) {
    const onPixel = (frame: Frames) => {
      const own = clip.reverse ? frames - frame : frame;
      return x + ((map ? map.toStretched(own) : own * clip.stretch) - clip.offset) / perPixel;
    };
    return drawSamples(c, p, sides, { ...place, frames, xOf: onPixel, state, inks });
  }
  const drawn = wave(p, overviewOf(clip.asset), x, right, y, { ...place, closeUps: sides });
  if (drawn) ink(c, drawn, state, inks);
  bend();
}

/** Between two pixels of a row: which frame of the audio stands at a pixel, and what scales it there. */
interface AudioPlace {
  readonly x: number;
  readonly right: number;
  readonly y: number;
  readonly frameOf: (x: number) => Frames;
  readonly level: (x: number) => number;
}

/** What is nearer than two samples to a pixel is drawn sample by sample. */
const SINGLE_FRAMES = 0.5;

function drawSamples(
  c: CanvasRenderingContext2D,
  p: LanesPicture,
  sides: readonly CloseUp[],
  {
    x,
    right,
    y,
    frameOf,
    level,
    xOf,
    frames,
    state,
    inks,
  }: AudioPlace & {
    readonly xOf: (frame: Frames) => number;
    /** Of the audio. */
    readonly frames: Frames;
    readonly state: TrackState;
    readonly inks: Inks;
  },
): void {
  const [from, to] = [Math.max(0, x), Math.min(p.width, right)];
  const edges = [frameOf(from), frameOf(to)] as const;
  const seen = {
    first: Math.max(0, Math.floor(Math.min(...edges)) - 1),
    last: Math.min(frames - 1, Math.ceil(Math.max(...edges)) + 1),
    y,
    xOf,
    level: (at: number) => level(Math.max(x, Math.min(right, at))),
  };
  c.save();
  c.beginPath();
  c.rect(from, y, to - from, p.rowHeight);
  c.clip();
  c.lineWidth = 1.2;
  for (const [i, side] of sides.entries()) {
    c.strokeStyle = c.fillStyle = i > 0 || state === "parked" ? inks.faint : inks.ink;
    samples(c, p, side, seen);
  }
  c.restore();
}

/** The widest that a line of pitch goes up and down in a row. */
const PITCH_RANGE = 1200;

/** Where a clip's time is held, as notches in its lower edge, and its line of pitch. */
function drawBend(
  c: CanvasRenderingContext2D,
  p: LanesPicture,
  clip: AudioClip,
  map: TimeMap,
  { x, right, y }: { readonly x: number; readonly right: number; readonly y: number },
  inks: Inks,
): void {
  const perPixel = p.view.framesPerPixel;
  const bottom = y + p.rowHeight - PAD;
  c.fillStyle = inks.spot;
  for (const { to } of clip.timeMarks) {
    const at = x + (to - clip.offset) / perPixel;
    if (at < Math.max(0, x) || at > Math.min(p.width, right)) continue;
    c.beginPath();
    c.moveTo(at - 4, bottom);
    c.lineTo(at + 4, bottom);
    c.lineTo(at, bottom - 6);
    c.fill();
  }
  if (clip.pitchLine.length === 0) return;
  const half = p.rowHeight / 2 - PAD - 2;
  c.strokeStyle = inks.spot;
  c.lineWidth = 1.5;
  c.beginPath();
  for (let at = Math.max(0, x); at <= Math.min(p.width, right); at += 2) {
    const cents = centsAt(clip.pitchLine, map.toRecording(clip.offset + (at - x) * perPixel));
    c.lineTo(at, y + p.rowHeight / 2 - Math.max(-1, Math.min(1, cents / PITCH_RANGE)) * half);
  }
  c.stroke();
}

/** Frames of a pixel from which on samples are fetched: an overview's steps are eight pixels wide there. */
const CLOSE_FRAMES = PEAK_FRAMES / 8;

/** Samples of what is seen of some audio, where one looks closer than its overview; none as long as they come. */
function nearby(
  p: LanesPicture,
  { x, right, frameOf }: Pick<AudioPlace, "x" | "right" | "frameOf">,
  sidesOf: (from: Frames, to: Frames) => readonly CloseUp[],
): readonly CloseUp[] {
  const edges = [frameOf(Math.max(0, x)), frameOf(Math.min(p.width, right) + 1)] as const;
  const [from, to] = [Math.min(...edges), Math.max(...edges)];
  if ((to - from) / Math.max(1, Math.min(p.width, right) - Math.max(0, x)) > CLOSE_FRAMES) return [];
  return sidesOf(from - 2, to + 2);
}

const assetSides =
  (hash: string, channels: number) =>
  (from: Frames, to: Frames): readonly CloseUp[] => {
    const sides = (channels === 1 ? (["left"] as const) : (["left", "right"] as const)).map((side) =>
      closeUpOf(hash, side, from, to),
    );
    return sides.every((s) => s !== null) ? sides : [];
  };

/** How thick the outline of an empty wave is. */
const RIM = 0.9;

function ink(c: CanvasRenderingContext2D, drawn: Wave, state: TrackState, inks: Inks): void {
  shape(c, drawn);
  switch (state) {
    case "printed":
      c.fillStyle = inks.ink;
      c.fill();
      return;
    case "frozen":
    case "stale":
      c.fillStyle = inks.stipple;
      c.fill();
      c.strokeStyle = inks.ink;
      c.lineWidth = 0.7;
      c.stroke();
      return;
    case "parked":
      c.save();
      c.strokeStyle = inks.faint;
      c.lineWidth = 0.8;
      c.setLineDash([3, 2]);
      c.stroke();
      c.restore();
      return;
    case "live":
      c.fillStyle = inks.ink;
      c.fill();
      hollow(c, drawn, RIM);
      c.fillStyle = inks.lift;
      c.fill();
      return;
  }
}

/** The frozen audio of a track over its whole length. */
export function drawFrozen(
  c: CanvasRenderingContext2D,
  p: LanesPicture,
  hash: string,
  y: number,
  state: TrackState,
  inks: Inks,
): void {
  const asset = p.session.assets.find((a) => a.id === hash);
  if (!asset) return;
  const x = xOf(p.view, 0);
  const right = xOf(p.view, asset.frames);
  const perPixel = p.view.framesPerPixel;
  const place = { x, right, y, frameOf: (at: number) => (at - x) * perPixel, level: () => 1 };
  const sides = nearby(p, place, assetSides(hash, asset.channels));
  if (sides.length > 0 && perPixel <= SINGLE_FRAMES)
    drawSamples(c, p, sides, { ...place, frames: asset.frames, xOf: (f) => x + f / perPixel, state, inks });
  else {
    const drawn = wave(p, overviewOf(hash), x, right, y, { ...place, closeUps: sides });
    if (drawn) ink(c, drawn, state, inks);
  }
  if (state !== "stale") return;
  // The folded corner that says: this is not what the track would sound like now.
  const corner = Math.min(right, p.width) - 62;
  c.fillStyle = inks.paper;
  c.fillRect(corner, y + 1, 62, 15);
  c.fillStyle = inks.hatch;
  c.fillRect(corner, y + 1, 14, 15);
  c.font = inks.sans;
  c.fillStyle = inks.caution;
  c.textBaseline = "middle";
  c.fillText("stale", corner + 20, y + 9);
  c.strokeStyle = inks.caution;
  c.lineWidth = 1;
  c.strokeRect(corner + 0.5, y + 1.5, 61, 14);
}
