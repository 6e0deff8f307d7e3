import type { Controls, DeviceDeclaration, ParamDeclaration, Params } from "../devices/device";
import { QUANTUM, completeParams, still } from "../devices/device";
import { exp, log } from "../math";
import type { Automation, Device, Track } from "../session/document";
import type { TempoMap } from "../time/tempo";
import type { Frames } from "../units";

/** A value over the timeline. Asked at rising frames it answers at once; it may be asked anywhere. */
export type Curve = (frame: Frames) => number;

/** How steep the strongest bend is. */
const STEEPEST = 6;

/** How far a bent segment has moved after the part `x` of its time; both from 0 to 1. */
export function bentPart(x: number, bend: number): number {
  const k = STEEPEST * bend;
  return Math.abs(k) < 1e-3 ? x : (exp(k * x) - 1) / (exp(k) - 1);
}

/**
 * A lane's value at a timeline frame; before the first point and after the last it stays. `log`: straight lines are
 * straight in the logarithm.
 */
export function curveOf(lane: Automation, tempo: TempoMap, taper: ParamDeclaration["taper"] = "linear"): Curve {
  const inLog = taper === "log";
  const frames = Float64Array.from(lane.points, (p) => tempo.toFrames(p.tick));
  const values = Float64Array.from(lane.points, (p) => (inLog ? log(p.value) : p.value));
  const { points } = lane;
  let i = 0;
  return (frame) => {
    if ((frames[i] as number) > frame) i = 0;
    while (i + 1 < frames.length && (frames[i + 1] as number) <= frame) i++;
    const point = points[i];
    const here = values[i] as number;
    const start = frames[i] as number;
    let value = here;
    if (point && i + 1 < frames.length && frame > start && point.shape !== "hold") {
      const x = (frame - start) / ((frames[i + 1] as number) - start);
      value = here + ((values[i + 1] as number) - here) * (point.shape === "curved" ? bentPart(x, point.bend) : x);
    }
    return inLog ? exp(value) : value;
  };
}

/** The curve of one of a track's own controls, or null where nothing moves it. */
export function trackCurve(
  track: Track,
  target: "fader" | "pan" | "mute" | "send",
  tempo: TempoMap,
  of: string | null = null,
): Curve | null {
  const lane = track.automation.find((a) => a.target === target && a.of === of);
  return lane ? curveOf(lane, tempo) : null;
}

type Move = { readonly id: string; readonly curve: Curve };

/** The lanes of a track that move a device's parameters. */
function movesOf(
  device: Device,
  declaration: DeviceDeclaration,
  track: Track | null,
  tempo: TempoMap,
): readonly Move[] {
  const lanes = track ? track.automation.filter((a) => a.target === "param" && a.of === device.id) : [];
  return lanes.flatMap((lane) => {
    const param = declaration.params.find((p) => p.id === lane.param);
    return param ? [{ id: param.id, curve: curveOf(lane, tempo, param.taper) }] : [];
  });
}

/** A device's parameters, moved by the track's lanes. */
export function controlsOf(
  device: Device,
  declaration: DeviceDeclaration,
  track: Track | null,
  tempo: TempoMap,
): Controls {
  const complete = completeParams(declaration, device.params);
  const moves = movesOf(device, declaration, track, tempo);
  if (moves.length === 0) return still(complete);
  const params: Record<string, number> = { ...complete };
  const to = (frame: Frames) => {
    for (const { id, curve } of moves) params[id] = curve(Math.max(0, frame));
  };
  to(0);
  return { params: params as Params, moving: true, loose: false, to };
}

/** How long a parameter takes to where a hand has put it. */
export const GLIDE: Frames = 8 * QUANTUM;
/** A device that interpolates from quantum to quantum has arrived only when it has been told the same twice. */
const SETTLE = 2;

/**
 * A device's parameters while a person listens and turns them: each glides to where it is put; what lanes move goes on
 * along them.
 */
export class LooseControls implements Controls {
  readonly loose = true;
  readonly params: Record<string, number>;
  private readonly lanes: readonly Move[];
  private readonly glides = new Map<string, { readonly from: number; readonly to: number; start: Frames | null }>();
  /** Calls of `to` until a device has certainly arrived. */
  private unsettled = 0;

  constructor(device: Device, declaration: DeviceDeclaration, track: Track, tempo: TempoMap) {
    this.params = { ...completeParams(declaration, device.params) };
    this.lanes = movesOf(device, declaration, track, tempo);
    this.follow(0);
  }

  get moving(): boolean {
    return this.lanes.length > 0 || this.glides.size > 0 || this.unsettled > 0;
  }

  /** Puts a parameter somewhere else, from the next quantum on. */
  put(id: string, value: number): void {
    const now = this.params[id];
    if (now === undefined || this.lanes.some((lane) => lane.id === id)) return;
    this.glides.set(id, { from: now, to: value, start: null });
  }

  to(frame: Frames): void {
    this.follow(frame);
    if (this.glides.size === 0) {
      if (this.unsettled > 0) this.unsettled--;
      return;
    }
    this.unsettled = SETTLE;
    for (const [id, glide] of this.glides) {
      glide.start ??= frame - QUANTUM;
      const x = (frame - glide.start) / GLIDE;
      this.params[id] = x >= 1 ? glide.to : glide.from + (glide.to - glide.from) * x;
      if (x >= 1) this.glides.delete(id);
    }
  }

  private follow(frame: Frames): void {
    for (const { id, curve } of this.lanes) this.params[id] = curve(Math.max(0, frame));
  }
}
