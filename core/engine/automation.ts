import type { Controls, DeviceDeclaration, ParamDeclaration, Params } from "../devices/device";
import { completeParams, still } from "../devices/device";
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

/** A lane's value at a timeline frame; before the first point and after the last it stays. `log`: straight lines are straight in the logarithm. */
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
export function trackCurve(track: Track, target: "fader" | "pan" | "mute" | "send", tempo: TempoMap, of: string | null = null): Curve | null {
  const lane = track.automation.find((a) => a.target === target && a.of === of);
  return lane ? curveOf(lane, tempo) : null;
}

/** A device's parameters, moved by the track's lanes. */
export function controlsOf(device: Device, declaration: DeviceDeclaration, track: Track | null, tempo: TempoMap): Controls {
  const complete = completeParams(declaration, device.params);
  const lanes = track ? track.automation.filter((a) => a.target === "param" && a.of === device.id) : [];
  const moves = lanes.flatMap((lane) => {
    const param = declaration.params.find((p) => p.id === lane.param);
    return param ? [{ id: param.id, curve: curveOf(lane, tempo, param.taper) }] : [];
  });
  if (moves.length === 0) return still(complete);
  const params: Record<string, number> = { ...complete };
  const to = (frame: Frames) => {
    for (const { id, curve } of moves) params[id] = curve(Math.max(0, frame));
  };
  to(0);
  return { params: params as Params, moving: true, to };
}
