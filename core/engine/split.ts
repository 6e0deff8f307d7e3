import type { Session, Track } from "../session/document";
import { feeds, mixOf } from "../session/routing";
import { declarationOf } from "../devices/catalogue";
import { SEAL_COST, STRETCHES, TAP_COST, meanCost, trackCosts } from "./cost";
import type { GivenSum, GivenTrack, SharedWork } from "./exchange";
import type { Tap } from "./tap";

/**
 * Divides a pass's taps over a number of threads so that they take about equally long. A thread computes what its taps
 * need and nothing else, so taps that share a path upstream are worth keeping together. Returns indices of `taps`.
 */
export function splitTaps(session: Session, taps: readonly Tap[], threads: number): readonly (readonly number[])[] {
  const needs = taps.map((tap) => upstream(session, tap));
  const parts = Array.from({ length: Math.max(1, Math.min(threads, taps.length)) }, () => ({ cost: 0, taps: [] as number[], computed: new Set<string>() }));
  const costs = new Map([...trackCosts(session)].map(([id, c]) => [id, meanCost(c)]));
  const added = (have: ReadonlySet<string>, need: ReadonlySet<string>) =>
    [...need].reduce((sum, id) => (have.has(id) ? sum : sum + (costs.get(id) ?? 0)), TAP_COST);
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

/** Indices of taps that are rendered each by itself, the dearest first: whoever draws them one after the other ends at about the same time. */
export function dearestFirst(session: Session, taps: readonly Tap[]): readonly number[] {
  const costs = new Map([...trackCosts(session)].map(([id, c]) => [id, meanCost(c)]));
  const cost = taps.map((tap) => [...upstream(session, tap)].reduce((sum, id) => sum + (costs.get(id) ?? 0), 0));
  return taps.map((_, i) => i).sort((a, b) => (cost[b] ?? 0) - (cost[a] ?? 0) || a - b);
}

/** A pass divided between a lead, which has the mix, and a helper that computes tracks for it. Numbers are indices of the pass's taps. */
export interface SharedPass {
  readonly lead: readonly number[];
  readonly help: readonly number[];
  readonly work: SharedWork;
}

/**
 * Divides a pass that holds the mix so that nothing is computed twice: the helper takes tracks with all they need, the stems made of them, and the groups
 * that hold nothing else. Null where there is no mix, or too little to share. `leastSum`: how many must flow into a sum first for the helper to begin it.
 */
export function sharePass(session: Session, taps: readonly Tap[], leastSum = LEAST_SUM): SharedPass | null {
  if (!taps.some((t) => t.kind === "mix")) return null;
  const active = session.tracks.filter((t) => !t.parked);
  const byId = new Map(session.tracks.map((t) => [t.id, t]));
  const above = (track: Track): readonly Track[] => {
    const next = track.output === null ? undefined : byId.get(track.output);
    return next && next.kind === "group" ? [next, ...above(next)] : [];
  };
  const closure = (ids: readonly string[]) => upstream(session, { kind: "path", sources: ids, at: "channel", returns: false, linked: false });
  const hasDynamics = (track: Track) => track.devices.some((d) => d.on && declarationOf(d.type)?.dynamics);
  /**
   * What a stem needs whole: its sources, and where dynamics are linked the groups on its way. Null where it hears what both sides make, as returns do.
   * Returns that belong to a stem hear it alone, so they are made where it is; but not those whose dynamics follow the whole.
   */
  const needs = (tap: Tap): ReadonlySet<string> | null => {
    if (tap.kind === "mix" || (tap.returns && tap.linked && active.some((t) => t.kind === "return" && hasDynamics(t)))) return null;
    const groups = tap.linked && tap.at === "group" ? tap.sources.flatMap((s) => above(byId.get(s) as Track)).filter(hasDynamics) : [];
    const need = closure([...tap.sources, ...groups.map((g) => g.id)]);
    return [...need].some((id) => byId.get(id)?.kind === "return") ? null : need;
  };
  const tapNeeds = taps.map(needs);

  // Tracks that stand or fall together: what one stem needs, and what steers what.
  const units: Set<string>[] = [];
  const join = (ids: ReadonlySet<string>) => {
    const joined = new Set(ids);
    for (let i = units.length - 1; i >= 0; i--) {
      const unit = units[i] as Set<string>;
      if (![...unit].some((id) => joined.has(id))) continue;
      for (const id of unit) joined.add(id);
      units.splice(i, 1);
    }
    units.push(joined);
  };
  for (const track of active) if (track.kind === "audio" || track.kind === "instrument") join(closure([track.id]));
  for (const need of tapNeeds) if (need && need.size > 0) join(need);
  // Returns and the mix hear tracks of both sides; so does a stem whose returns follow the whole. They and what they are made of stay with the lead.
  const ownLead = new Set(taps.flatMap((t, i) => (t.kind === "path" && t.returns && tapNeeds[i] === null ? t.sources : [])));
  const movable = units.filter((unit) => [...unit].every((id) => {
    const kind = byId.get(id)?.kind;
    return kind !== "return" && kind !== "mix" && !ownLead.has(id);
  }));

  const costs = trackCosts(session);
  const tapsWithin = (unit: ReadonlySet<string>) => taps.filter((_, i) => { const need = tapNeeds[i]; return need && need.size > 0 && [...need].every((id) => unit.has(id)); });
  const returns = active.filter((t) => t.kind === "return").map((t) => t.id);
  const costOf = (unit: ReadonlySet<string>, itsTaps: readonly Tap[]): Float64Array => {
    const sum = new Float64Array(STRETCHES).fill(itsTaps.length * TAP_COST);
    const add = (id: string) => costs.get(id)?.forEach((c, k) => { sum[k] = (sum[k] as number) + c; });
    unit.forEach(add);
    // A stem with its returns has each of them to itself.
    for (const tap of itsTaps) if (tap.kind === "path" && tap.returns) returns.forEach(add);
    return sum;
  };
  const total = costOf(new Set(active.map((t) => t.id)), taps);
  const movableCosts = movable.map((unit) => costOf(unit, tapsWithin(unit)));
  const chosen = soonestDone(total, movableCosts, taps.length * SEAL_COST * STRETCHES);
  const tracks = new Set(movable.flatMap((unit, i) => (chosen.has(i) ? [...unit] : [])));
  if (tracks.size === 0) return null;
  for (let grown = true; grown; ) {
    grown = false;
    for (const group of active) {
      if (group.kind !== "group" || tracks.has(group.id)) continue;
      const from = feeds(session, group).filter((t) => !t.parked);
      if (from.length === 0 || !from.every((t) => tracks.has(t.id))) continue;
      tracks.add(group.id);
      grown = true;
    }
  }
  const help = taps.flatMap((_, i) => { const need = tapNeeds[i]; return need && need.size > 0 && [...need].every((id) => tracks.has(id)) ? [i] : []; });
  const lead = taps.flatMap((_, i) => (help.includes(i) ? [] : [i]));
  // What leads nowhere the lead listens to, as into a parked group, is not in its graph: nobody takes it.
  const heard = new Set(lead.flatMap((i) => [...upstream(session, taps[i] as Tap)]));
  const outside = active.filter((t) => !tracks.has(t.id) && heard.has(t.id));
  const { sums, covered } = sumsToBegin(active, outside, tracks, leastSum);
  const wanted = (to: string, from: string) => outside.some((t) => t.id === to) && !covered.get(to)?.has(from);
  const given = active.filter((t) => tracks.has(t.id)).flatMap((t): GivenTrack[] => {
    const sends = t.sends.filter((s) => wanted(s.to, t.id));
    const key = outside.some((o) => !o.frozen && o.devices.some((d) => d.key === t.id));
    const routed = t.output !== null && wanted(t.output, t.id);
    return routed || key || sends.length > 0 ? [{ track: t.id, body: key || sends.some((s) => s.position === "before fader") }] : [];
  });
  return { lead, help, work: { tracks: [...tracks], given, sums } };
}

/** Sums whose first inflows all come from the helper's `tracks`, and which tracks need not be given to them. */
function sumsToBegin(active: readonly Track[], outside: readonly Track[], tracks: ReadonlySet<string>, least: number) {
  const sums: GivenSum[] = [];
  const covered = new Map<string, ReadonlySet<string>>();
  for (const into of outside) {
    const from = active.filter((t) => t.output === into.id || t.sends.some((s) => s.to === into.id));
    const other = from.findIndex((t) => !tracks.has(t.id));
    const first = other < 0 ? from : from.slice(0, other);
    const inflows = first.reduce((count, t) => count + (t.output === into.id ? 1 : 0) + t.sends.filter((s) => s.to === into.id).length, 0);
    if (first.length === 0 || inflows < least) continue;
    sums.push({ track: into.id, inflows });
    covered.set(into.id, new Set(first.map((t) => t.id)));
  }
  return { sums, covered };
}

/** To begin a sum, the helper's graph has to hold what else flows into it: worth it for many. */
const LEAST_SUM = 4;

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

/**
 * Which parts a helper should take off a whole, so that both are done soonest: the helper may run ahead, but the lead is through with a stretch only when the
 * helper is; what is `left` when all is rendered is for whoever has time. From the dearest part on, then part by part as long as that helps.
 */
function soonestDone(total: Float64Array, parts: readonly Float64Array[], left: number): ReadonlySet<number> {
  const taken = new Float64Array(STRETCHES);
  const chosen = new Set<number>();
  const takes = (part: Float64Array | null, sign: number) => {
    let lead = 0;
    let helper = 0;
    total.forEach((all, k) => {
      const away = (taken[k] as number) + sign * (part?.[k] ?? 0);
      helper += away;
      lead = Math.max(lead + all - away, helper * RESERVE);
    });
    return Math.max(lead, helper, (lead + helper + left) / 2) + EVENNESS * lead;
  };
  const order = parts.map((_, i) => i).sort((a, b) => meanCost(parts[b] as Float64Array) - meanCost(parts[a] as Float64Array) || a - b);
  for (let better = true, round = 0; better && round < ROUNDS; round++) {
    better = false;
    for (const i of order) {
      const part = parts[i] as Float64Array;
      const sign = chosen.has(i) ? -1 : 1;
      if (takes(part, sign) >= takes(null, 0) * (1 - LEAST_GAIN)) continue;
      part.forEach((c, k) => { taken[k] = (taken[k] as number) + sign * c; });
      if (sign === 1) chosen.add(i);
      else chosen.delete(i);
      better = true;
    }
  }
  return chosen;
}

const ROUNDS = 8;
/** A smaller part of the whole is not worth a change. */
const LEAST_GAIN = 1e-6;
/** Of two divisions that end at the same time the one is better that leaves less to chance. */
const EVENNESS = 0.01;
/** Costs are rough: a lead that waits for its helper is lost time, a helper that is done early is not. */
const RESERVE = 1.1;
