import { dbToGain } from "../../core/math";
import { fadeGain } from "../../core/engine/source";
import { TimeMap, centsAt } from "../../core/session/bend";
import { clipSpan, isBent, placedNotes } from "../../core/session/clips";
import { routedInto, summedIn } from "../../core/session/routing";
import type { AudioClip, Clip, NoteClip, PlacedClip, Session, Track } from "../../core/session/document";
import type { Frames } from "../../core/units";
import type { Clock } from "../session/clock";
import type { TrackState } from "../session/track-state";
import { handlesOf } from "./gestures";
import { drawGrid } from "../canvas/draw-ruler";
import type { Inks } from "../canvas/inks";
import type { LaneView } from "../timeline/view";
import { xOf } from "../timeline/view";
import type { Wave } from "./waves";
import { PAD, wave, shape, hollow, samples } from "./waves";
import { PEAK_FRAMES } from "../../core/analysis/peaks";
import type { CloseUp } from "../canvas/close-up";
import { closeUpOf } from "../canvas/close-up";
import { overviewOf } from "../canvas/overviews";
import { processedCloseUp, processedOf } from "../canvas/processed";

export interface LanesPicture {
  readonly session: Session;
  readonly clock: Clock;
  readonly states: ReadonlyMap<string, TrackState>;
  readonly view: LaneView;
  readonly selected: readonly string[];
  readonly chosen: ReadonlySet<string>;
  /** The clip under the pointer, which shows its handles. */
  readonly hovered: string | null;
  /** Clips as a drag would leave them, drawn in place of the stored ones, and how many rows further down. */
  readonly dragged: ReadonlyMap<string, Clip>;
  readonly rowsDown: number;
  /** The stretch that is chosen, over its tracks. */
  readonly range: { readonly from: Frames; readonly to: Frames; readonly tracks: readonly string[] } | null;
  /** Pixels the rows are scrolled up by. */
  readonly scrollTop: number;
  readonly rowHeight: number;
  readonly width: number;
  readonly height: number;
  /** Time markers and lines of pitch are drawn by the caller. */
  readonly plain?: boolean;
}

/** Draws every visible row. A pure function of the picture: nothing is remembered between two drawings. */
export function drawLanes(c: CanvasRenderingContext2D, p: LanesPicture, inks: Inks): void {
  c.clearRect(0, 0, p.width, p.height);
  const first = Math.floor(p.scrollTop / p.rowHeight);
  const last = Math.min(p.session.tracks.length - 1, Math.ceil((p.scrollTop + p.height) / p.rowHeight));
  for (let row = first; row <= last; row++) {
    const track = p.session.tracks[row];
    if (!track) continue;
    const y = row * p.rowHeight - p.scrollTop;
    c.fillStyle = p.selected.includes(track.id) ? inks.wash : row % 2 === 0 ? inks.shade : inks.paper;
    c.fillRect(0, y, p.width, p.rowHeight);
  }
  drawGrid(c, p.clock, p.view, p.width, Math.min(p.height, p.session.tracks.length * p.rowHeight - p.scrollTop), inks);
  if (p.range) {
    const [x, right] = [xOf(p.view, p.range.from), xOf(p.view, p.range.to)];
    c.fillStyle = inks.wash;
    c.strokeStyle = inks.spot;
    for (let row = first; row <= last; row++) {
      if (!p.range.tracks.includes(p.session.tracks[row]?.id ?? "")) continue;
      const y = row * p.rowHeight - p.scrollTop;
      c.fillRect(x, y, right - x, p.rowHeight);
      c.beginPath();
      c.moveTo(Math.round(x) + 0.5, y);
      c.lineTo(Math.round(x) + 0.5, y + p.rowHeight);
      c.moveTo(Math.round(right) - 0.5, y);
      c.lineTo(Math.round(right) - 0.5, y + p.rowHeight);
      c.stroke();
    }
  }
  for (let row = first; row <= last; row++) {
    const track = p.session.tracks[row];
    if (track) drawTrack(c, p, track, row * p.rowHeight - p.scrollTop, inks);
  }
}

function drawTrack(c: CanvasRenderingContext2D, p: LanesPicture, track: Track, above: number, inks: Inks): void {
  const state = p.states.get(track.id) ?? "live";
  if (track.kind === "group" || track.kind === "return" || track.kind === "mix") {
    const feeding = (track.kind === "return" ? summedIn(p.session, track.id) : routedInto(p.session, track.id)).filter(
      (t) => !t.parked,
    ).length;
    c.font = inks.sans;
    c.fillStyle = inks.soft;
    c.textBaseline = "middle";
    c.fillText(
      track.kind === "return"
        ? `fed by ${feeding} ${feeding === 1 ? "send" : "sends"}`
        : `sums ${feeding} ${feeding === 1 ? "path" : "paths"}`,
      8,
      above + p.rowHeight / 2,
    );
    return;
  }
  for (const stored of track.clips) {
    const moved = p.dragged.get(stored.id);
    const clip = moved ?? stored;
    const y = moved ? above + p.rowsDown * p.rowHeight : above;
    const { from, to } = clipSpan(clip, p.clock.tempo);
    const x = xOf(p.view, from);
    const right = xOf(p.view, to);
    if (right < 0 || x > p.width) continue;
    if (!track.frozen) {
      // A clip that is silenced is drawn as what is parked is.
      const drawn = clip.muted ? "parked" : state;
      if (clip.kind === "notes") drawNotes(c, p, clip, x, right, y, drawn, inks);
      else drawPlaced(c, p, clip, y, drawn, inks);
    }
    if (clip.muted && !track.frozen) silence(c, p, x, right, y, inks);
    frame(c, p, x, right, y, clip.muted ? "parked" : state, p.chosen.has(clip.id), inks);
    if (clip.kind !== "notes" && !track.frozen && (p.chosen.has(clip.id) || p.hovered === clip.id))
      drawHandles(c, p, clip, x, y, inks);
  }
  if (track.frozen) drawFrozen(c, p, track.frozen.asset, above, state, inks);
}

/** A line through the middle: nothing of it is heard. */
function silence(c: CanvasRenderingContext2D, p: LanesPicture, x: number, right: number, y: number, inks: Inks): void {
  c.fillStyle = inks.soft;
  c.fillRect(Math.max(0, x), Math.round(y + p.rowHeight / 2), Math.min(p.width, right) - Math.max(0, x), 1);
}

export function frame(
  c: CanvasRenderingContext2D,
  p: LanesPicture,
  x: number,
  right: number,
  y: number,
  state: TrackState,
  chosen: boolean,
  inks: Inks,
): void {
  c.save();
  c.strokeStyle = chosen ? inks.spot : state === "parked" ? inks.faint : inks.soft;
  c.lineWidth = chosen ? 2 : 1;
  if (state === "parked") c.setLineDash([4, 3]);
  if (state === "frozen" || state === "stale") c.setLineDash([1, 2]);
  const left = Math.round(x) + 0.5;
  c.strokeRect(left, y + PAD - 0.5, Math.max(2, Math.round(right) - 0.5 - left), p.rowHeight - 2 * PAD + 1);
  c.restore();
}

/** Small squares along a clip's upper edge: where its fades end, and its gain in the middle. */
function drawHandles(
  c: CanvasRenderingContext2D,
  p: LanesPicture,
  clip: PlacedClip,
  x: number,
  y: number,
  inks: Inks,
): void {
  const handles = handlesOf(clip, p.view.framesPerPixel);
  if (!handles) return;
  const top = y + PAD;
  const bottom = y + p.rowHeight - PAD;
  const right = x + clip.frames / p.view.framesPerPixel;
  c.strokeStyle = inks.spot;
  c.lineWidth = 1;
  c.beginPath();
  c.moveTo(x, bottom);
  c.lineTo(x + handles.fadeIn, top);
  c.moveTo(right, bottom);
  c.lineTo(x + handles.fadeOut, top);
  c.stroke();
  c.fillStyle = inks.lift;
  for (const at of [handles.fadeIn, handles.fadeOut]) {
    c.fillRect(x + at - 3.5, top - 1, 7, 7);
    c.strokeRect(x + at - 3.5, top - 1, 7, 7);
  }
  c.fillRect(x + handles.gain - 7, top - 1, 14, 5);
  c.strokeRect(x + handles.gain - 7, top - 1, 14, 5);
}

/** An audio clip, or a nest's children where the nest lets them sound. */
function drawPlaced(
  c: CanvasRenderingContext2D,
  p: LanesPicture,
  clip: PlacedClip,
  y: number,
  state: TrackState,
  inks: Inks,
): void {
  const x = xOf(p.view, clip.start);
  const right = xOf(p.view, clip.start + clip.frames);
  if (clip.kind === "audio") {
    drawAudio(c, p, clip, x, right, y, state, inks);
    return;
  }
  c.save();
  c.beginPath();
  c.rect(x, y, right - x, p.rowHeight);
  c.clip();
  for (const child of clip.children)
    drawPlaced(
      c,
      p,
      { ...child, start: clip.start - clip.offset + child.start, gainDb: child.gainDb + clip.gainDb },
      y,
      state,
      inks,
    );
  c.restore();
}

function drawAudio(
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

function drawNotes(
  c: CanvasRenderingContext2D,
  p: LanesPicture,
  clip: NoteClip,
  x: number,
  right: number,
  y: number,
  state: TrackState,
  inks: Inks,
): void {
  const phrase = p.session.phrases.find((f) => f.id === clip.phrase);
  c.fillStyle = state === "parked" ? inks.paper : inks.lift;
  c.fillRect(x, y + PAD, right - x, p.rowHeight - 2 * PAD);
  if (!phrase || phrase.notes.length === 0) return;
  const pitches = phrase.notes.map((n) => n.pitch);
  const lowest = Math.min(...pitches);
  const span = Math.max(7, Math.max(...pitches) - lowest);
  const room = p.rowHeight - 2 * PAD - 8;
  c.fillStyle = state === "parked" ? inks.faint : inks.ink;
  for (const note of placedNotes(clip, phrase)) {
    const from = xOf(p.view, p.clock.tempo.toFrames(note.start));
    const to = xOf(p.view, p.clock.tempo.toFrames(note.end));
    const height = 1 + (1.6 * note.velocity) / 127;
    c.fillRect(
      from,
      y + PAD + 4 + room * (1 - (note.pitch - lowest) / span) - height / 2,
      Math.max(1.5, to - from - 1),
      height,
    );
  }
}

function drawFrozen(
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
