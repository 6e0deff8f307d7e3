import type { Session, Track } from "../session/document";
import { SEAL_COST, STRETCHES, TAP_COST, meanCost, trackCosts } from "./cost";
import type { GivenSum, GivenTrack, HelperWork } from "./exchange";
import type { Tap } from "./tap";
import type { Port, Wire, WiredPath, Wiring } from "./wiring";
import { wire } from "./wiring";

/**
 * Divides a pass's taps over a number of threads so that they take about equally long. A thread computes what its taps
 * need and nothing else, so taps that share a path upstream are worth keeping together. Returns indices of `taps`.
 */
export function splitTaps(session: Session, taps: readonly Tap[], threads: number): readonly (readonly number[])[] {
  const needs = taps.map((tap) => wholePaths(wire(session, [tap])));
  const parts = Array.from({ length: Math.max(1, Math.min(threads, taps.length)) }, () => ({
    cost: 0,
    taps: [] as number[],
    computed: new Set<string>(),
  }));
  const costs = new Map([...trackCosts(session)].map(([id, c]) => [id, meanCost(c)]));
  const added = (have: ReadonlySet<string>, need: ReadonlySet<string>) =>
    [...need].reduce((sum, id) => (have.has(id) ? sum : sum + (costs.get(id) ?? 0)), TAP_COST);
  const order = taps
    .map((_, i) => i)
    .sort((a, b) => added(new Set(), needs[b] ?? new Set()) - added(new Set(), needs[a] ?? new Set()) || a - b);
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
 * Indices of taps that are rendered each by itself, the dearest first: threads that draw them in turn end at
 * about the same time.
 */
export function dearestFirst(session: Session, taps: readonly Tap[]): readonly number[] {
  const costs = new Map([...trackCosts(session)].map(([id, c]) => [id, meanCost(c)]));
  const cost = taps.map((tap) =>
    [...wholePaths(wire(session, [tap]))].reduce((sum, id) => sum + (costs.get(id) ?? 0), 0),
  );
  return taps.map((_, i) => i).sort((a, b) => (cost[b] ?? 0) - (cost[a] ?? 0) || a - b);
}

/**
 * A pass divided between a lead, which has the mix, and helpers that compute tracks for it. Numbers are indices of the
 * pass's taps.
 */
export interface DividedPass {
  readonly lead: readonly number[];
  readonly helpers: readonly { readonly taps: readonly number[]; readonly work: HelperWork }[];
}

/**
 * Divides a pass that holds the mix so that nothing is computed twice: each helper takes tracks with all they need, the
 * stems made of them, and the groups that hold nothing else. What the lead's taps and paths listen to of them is given,
 * wherever they do. Null where there is no mix, or too little to divide.
 * `threads`: the lead and its helpers, of whom some may have nothing to do. `leastSum`: how many must flow into a sum
 * first for a helper to begin it.
 */
export function dividePass(
  session: Session,
  taps: readonly Tap[],
  threads: number,
  leastSum = LEAST_SUM,
): DividedPass | null {
  if (threads < 2 || !taps.some((t) => t.kind === "mix")) return null;
  const active = session.tracks.filter((t) => !t.parked);
  const byId = new Map(session.tracks.map((t) => [t.id, t]));
  const stays = (id: string) => byId.get(id)?.kind === "return" || byId.get(id)?.kind === "mix";
  const wirings = taps.map((tap) => wire(session, [tap]));
  /** Whole paths a tap needs; null where it hears what both sides make, as returns and the mix do. */
  const tapNeeds = wirings.map((wiring) => {
    const need = wholePaths(wiring);
    return [...need].some(stays) ? null : need;
  });
  // Taps that cannot be the helper's copy an input, or follow dynamics, in the lead's own memory: what they look into
  // stays with the lead.
  const lookedInto = new Set(wirings.flatMap((wiring, i) => (tapNeeds[i] === null ? innerPaths(wiring) : [])));

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
  for (const track of active)
    if (track.kind === "audio" || track.kind === "instrument") join(wholePaths(wire(session, [], [track.id])));
  for (const need of tapNeeds) if (need && need.size > 0) join(need);
  const movable = units.filter((unit) => [...unit].every((id) => !stays(id) && !lookedInto.has(id)));

  const costs = trackCosts(session);
  const isWithin = (need: ReadonlySet<string> | null | undefined, tracks: ReadonlySet<string>) =>
    need !== null && need !== undefined && need.size > 0 && [...need].every((id) => tracks.has(id));
  const costOf = (tracks: ReadonlySet<string>, itsTaps: readonly number[]): Float64Array => {
    const sum = new Float64Array(STRETCHES).fill(itsTaps.length * TAP_COST);
    const add = (id: string) =>
      costs.get(id)?.forEach((c, k) => {
        sum[k] = (sum[k] as number) + c;
      });
    tracks.forEach(add);
    // A stem with its groups and returns has its own part of each.
    for (const i of itsTaps) for (const path of wirings[i]?.paths ?? []) if (!path.whole) add(path.track.id);
    return sum;
  };
  const total = costOf(
    new Set(active.map((t) => t.id)),
    taps.map((_, i) => i),
  );
  const movableCosts = movable.map((unit) =>
    costOf(
      unit,
      taps.flatMap((_, i) => (isWithin(tapNeeds[i], unit) ? [i] : [])),
    ),
  );
  const places = soonestDone(total, movableCosts, threads - 1, taps.length * SEAL_COST * STRETCHES);
  const ofHelpers = Array.from(
    { length: threads - 1 },
    (_, h) => new Set(movable.flatMap((unit, i) => (places[i] === h + 1 ? [...unit] : []))),
  ).filter((tracks) => tracks.size > 0);
  if (ofHelpers.length === 0) return null;
  for (const tracks of ofHelpers)
    for (let grown = true; grown;) {
      grown = false;
      for (const group of active) {
        if (group.kind !== "group" || tracks.has(group.id) || lookedInto.has(group.id)) continue;
        const need = wholePaths(wire(session, [], [group.id]));
        need.delete(group.id);
        if (!isWithin(need, tracks)) continue;
        tracks.add(group.id);
        grown = true;
      }
    }
  const help = ofHelpers.map((tracks) => taps.flatMap((_, i) => (isWithin(tapNeeds[i], tracks) ? [i] : [])));
  const lead = taps.flatMap((_, i) => (help.some((own) => own.includes(i)) ? [] : [i]));
  const wiring = wire(
    session,
    lead.map((i) => taps[i] as Tap),
  );
  const elsewhere = new Set(ofHelpers.flatMap((tracks) => [...tracks]));
  return {
    lead,
    helpers: ofHelpers.map((tracks, h) => ({
      taps: help[h] ?? [],
      work: workFor(wiring, active, tracks, elsewhere, leastSum),
    })),
  };
}

/**
 * What the lead listens to of a helper's `tracks`, and the sums the helper can begin for it: both read off the lead's
 * own wiring. `elsewhere`: the tracks of all helpers, whose paths the lead does not compute.
 */
function workFor(
  lead: Wiring,
  active: readonly Track[],
  tracks: ReadonlySet<string>,
  elsewhere: ReadonlySet<string>,
  leastSum: number,
): HelperWork {
  const isGiven = (path: WiredPath) => path.whole && tracks.has(path.track.id);
  const sums: GivenSum[] = [];
  const wanted = new Map<string, Set<Port>>();
  const want = ({ from, port }: Pick<Wire, "from" | "port">) => {
    if (isGiven(from)) wanted.set(from.track.id, (wanted.get(from.track.id) ?? new Set<Port>()).add(port));
  };
  for (const path of lead.paths) {
    if (path.whole && elsewhere.has(path.track.id)) continue;
    const other = path.inflows.findIndex((w) => !isGiven(w.from));
    const first = other < 0 ? path.inflows.length : other;
    const begun = path.whole && first >= Math.max(1, leastSum) ? first : 0;
    if (begun > 0) sums.push({ track: path.track.id, inflows: begun });
    path.inflows.slice(begun).forEach(want);
    for (const from of path.keys.values()) want({ from, port: "body" });
  }
  lead.outlets.flat().forEach(want);
  return {
    tracks: [...tracks],
    given: active.flatMap((t): GivenTrack[] => {
      const ports = wanted.get(t.id);
      return ports ? [{ track: t.id, body: ports.has("body") }] : [];
    }),
    sums,
  };
}

/** Tracks whose whole paths a wiring holds. */
const wholePaths = ({ paths }: Wiring): Set<string> => new Set(paths.flatMap((p) => (p.whole ? [p.track.id] : [])));

/**
 * Tracks into whose paths something looks in a way that cannot be handed over: a copy of what runs in, gains of
 * dynamics.
 */
const innerPaths = ({ paths, outlets }: Wiring): readonly string[] => [
  ...outlets.flat().flatMap((w) => (w.port === "input" || w.port === "device" ? [w.from.track.id] : [])),
  ...paths.flatMap((p) => (p.leader ? [p.leader.track.id] : [])),
];

/** To begin a sum, the helper's graph has to hold what else flows into it: worth it for many. */
const LEAST_SUM = 4;

/**
 * Who should compute each part of a whole, so that all are done soonest; 0 is the lead, 1 and up are helpers. A helper
 * may run ahead, but the lead is through with a stretch only when every helper is; what is `left` when all is rendered
 * is for any free thread. From the dearest part on, then part by part as long as that helps.
 */
function soonestDone(
  total: Float64Array,
  parts: readonly Float64Array[],
  helpers: number,
  left: number,
): readonly number[] {
  const taken = Array.from({ length: helpers }, () => new Float64Array(STRETCHES));
  const places = parts.map(() => 0);
  const done = new Float64Array(helpers);
  /** When all is done as things stand. */
  const ends = () => {
    let lead = 0;
    let most = 0;
    done.fill(0);
    for (let k = 0; k < STRETCHES; k++) {
      let own = total[k] as number;
      most = 0;
      for (let h = 0; h < helpers; h++) {
        const away = (taken[h] as Float64Array)[k] as number;
        own -= away;
        const at = ((done[h] as number) += away);
        most = Math.max(most, at);
      }
      lead = Math.max(lead + own, most * RESERVE);
    }
    const all = done.reduce((a, b) => a + b, lead);
    // Squares, so that of two divisions of the same length the one between equal helpers is found.
    const uneven = done.reduce((sum, d) => sum + d * d, 0) / Math.max(1, all);
    return Math.max(lead, most, (all + left) / (helpers + 1)) + EVENNESS * (lead + uneven);
  };
  const add = (place: number, k: number, cost: number) => {
    const own = taken[place - 1];
    if (own) own[k] = (own[k] as number) + cost;
  };
  const move = (i: number, to: number) => {
    const part = parts[i] as Float64Array;
    const from = places[i] as number;
    part.forEach((c, k) => {
      add(from, k, -c);
      add(to, k, c);
    });
    places[i] = to;
  };
  const order = parts
    .map((_, i) => i)
    .sort((a, b) => meanCost(parts[b] as Float64Array) - meanCost(parts[a] as Float64Array) || a - b);
  for (let better = true, round = 0; better && round < ROUNDS; round++) {
    better = false;
    for (const i of order) {
      const here = places[i] as number;
      let best = { place: here, end: ends() * (1 - LEAST_GAIN) };
      for (let to = 0; to <= helpers; to++) {
        if (to === here) continue;
        move(i, to);
        const end = ends();
        if (end < best.end) best = { place: to, end };
      }
      move(i, best.place);
      better ||= best.place !== here;
    }
  }
  return places;
}

const ROUNDS = 8;
/** A smaller part of the whole is not worth a change. */
const LEAST_GAIN = 1e-6;
/** Of two divisions that end at the same time the one is better that leaves less to chance. */
const EVENNESS = 0.01;
/** Costs are rough: a lead that waits for its helper is lost time, a helper that is done early is not. */
const RESERVE = 1.1;
