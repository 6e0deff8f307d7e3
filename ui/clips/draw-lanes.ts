import { clipSpan, placedNotes } from "../../core/session/clips";
import type { NoteClip, PlacedClip, Track } from "../../core/session/document";
import { routedInto, summedIn } from "../../core/session/routing";
import { drawGrid } from "../canvas/draw-ruler";
import type { Inks } from "../canvas/inks";
import type { TrackState } from "../session/track-state";
import { xOf } from "../timeline/view";
import { drawAudio, drawFrozen } from "./draw-waves";
import { handlesOf } from "./gestures";
import type { LanesPicture } from "./lanes-picture";
import { PAD } from "./waves";

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
