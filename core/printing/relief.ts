/** Loads are compared in steps of a thousandth of a core. */
const STEP = 0.001;
/** What sums of binary fractions may be off by, in steps. */
const SLACK = 1e-6;

/**
 * The tracks to freeze so that a session plays: of all sets that bring its load under the target, one that computes
 * least, since that is what printing them costs. `loads`: of a core, by track; `frozenLoad`: what a frozen track still
 * takes. All of them where even that is not enough.
 */
export function freezeUntilItPlays(
  loads: Readonly<Record<string, number>>,
  candidates: readonly string[],
  target: number,
  frozenLoad = 0.003,
): readonly string[] {
  const total = Object.values(loads).reduce((a, b) => a + b, 0);
  const needed = Math.ceil((total - target) / STEP - SLACK);
  if (needed <= 0) return [];
  const gains = candidates.map((id) => Math.max(0, Math.floor(((loads[id] ?? 0) - frozenLoad) / STEP + SLACK)));
  const most = gains.reduce((a, b) => a + b, 0);
  if (most < needed) return candidates.filter((_, i) => (gains[i] ?? 0) > 0);
  // Subset sums up to all there is: last[s] is the candidate that reached the sum s first.
  const last = new Int32Array(most + 1).fill(-1);
  const reached = new Uint8Array(most + 1);
  reached[0] = 1;
  for (const [i, gain] of gains.entries()) {
    if (gain === 0) continue;
    for (let s = most; s >= gain; s--) {
      if (reached[s] || !reached[s - gain]) continue;
      reached[s] = 1;
      last[s] = i;
    }
  }
  let sum = needed;
  while (!reached[sum]) sum++;
  const chosen = new Set<string>();
  for (let s = sum; s > 0; s -= gains[last[s] as number] as number) chosen.add(candidates[last[s] as number] as string);
  return candidates.filter((id) => chosen.has(id));
}
