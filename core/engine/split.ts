import { devicesOf } from "../session/clips";
import type { Device, Session, Track } from "../session/document";
import { feeds, mixOf } from "../session/routing";
import { RUN } from "./path";
import type { Tap } from "./tap";

/**
 * Rough costs, only for balance: a part that is too long makes a pass slower, never different. In tenths of a thousandth of a processor, as
 * measured over noise and chords; measuring and packing a tap is one of the dearer things there are.
 */
const COST = { tap: 45, track: 4, device: 40 };
const DEVICE_COST: Readonly<Record<string, number>> = {
  fm: 250, string: 100, bars: 80, kit: 70, sampler: 300, eq: 6, filter: 35, compressor: 80, gate: 35, limiter: 50, saturator: 220, delay: 90, reverb: 100,
  convolution: 700, chorus: 100, tremolo: 75, pitch: 60, utility: 8,
};
/** Of a chord, a voice and a step of the oversampled rate. */
const SYNTH_COST = 28;

/**
 * Divides a pass's taps over a number of threads so that they take about equally long. A thread computes what its taps
 * need and nothing else, so taps that share a path upstream are worth keeping together. Returns indices of `taps`.
 */
export function splitTaps(session: Session, taps: readonly Tap[], threads: number): readonly (readonly number[])[] {
  const needs = taps.map((tap) => upstream(session, tap));
  const parts = Array.from({ length: Math.max(1, Math.min(threads, taps.length)) }, () => ({ cost: 0, taps: [] as number[], computed: new Set<string>() }));
  const costs = new Map(session.tracks.map((t) => [t.id, trackCost(t)]));
  const added = (have: ReadonlySet<string>, need: ReadonlySet<string>) =>
    [...need].reduce((sum, id) => (have.has(id) ? sum : sum + (costs.get(id) ?? 0)), COST.tap);
  const order = taps.map((_, i) => i).sort((a, b) => added(new Set(), needs[b] ?? new Set()) - added(new Set(), needs[a] ?? new Set()) || a - b);
  for (const i of order) {
    const need = needs[i] ?? new Set<string>();
    const best = parts.reduce((a, b) => (b.cost + added(b.computed, need) < a.cost + added(a.computed, need) ? b : a));
    best.cost += added(best.computed, need);
    best.taps.push(i);
    for (const id of need) best.computed.add(id);
  }
  return parts.map((p) => p.taps.sort((a, b) => a - b)).filter((p) => p.length > 0);
}

/**
 * Which runs of the mix's inputs another thread had best compute: about half the work of a pass that is nothing but the mix. Empty where
 * there is too little to share.
 */
export function splitMix(session: Session): readonly number[] {
  const mix = mixOf(session);
  const inputs = session.tracks.filter((t) => !t.parked && t.output === mix.id);
  const costs = new Map(session.tracks.map((t) => [t.id, trackCost(t)]));
  const runs = Array.from({ length: Math.ceil(inputs.length / RUN) }, (_, run) => {
    const need = upstream(session, { kind: "path", sources: inputs.slice(run * RUN, (run + 1) * RUN).map((t) => t.id), at: "channel", returns: false, linked: false });
    return { run, cost: [...need].reduce((sum, id) => sum + (costs.get(id) ?? 0), 0) };
  });
  if (runs.length < 2) return [];
  let [ours, theirs] = [0, 0];
  const given: number[] = [];
  for (const { run, cost } of runs.sort((a, b) => b.cost - a.cost || a.run - b.run)) {
    if (ours <= theirs) ours += cost;
    else {
      theirs += cost;
      given.push(run);
    }
  }
  return given.sort((a, b) => a - b);
}

function upstream(session: Session, tap: Tap): ReadonlySet<string> {
  const found = new Set<string>();
  const visit = (track: Track) => {
    if (found.has(track.id) || track.parked) return;
    found.add(track.id);
    for (const feed of feeds(session, track)) visit(feed);
  };
  if (tap.kind === "mix") visit(mixOf(session));
  else for (const track of session.tracks) if (tap.sources.includes(track.id)) visit(track);
  return found;
}

const trackCost = (track: Track): number => COST.track + (track.frozen ? 0 : devicesOf(track).reduce((sum, d) => sum + deviceCost(d), 0));

function deviceCost(device: Device): number {
  if (!device.on) return 0;
  if (device.type !== "synth") return DEVICE_COST[device.type] ?? COST.device;
  return SYNTH_COST * (device.params["unison"] ?? 5) * Math.max(1, device.params["oversample"] ?? 2);
}
