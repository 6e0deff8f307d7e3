import type { ListName, ValueOf } from "./records";

interface Placed {
  readonly tick: number;
  readonly pitch?: number;
  readonly ticks?: number;
  readonly velocity?: number;
}

/** The order notes and points stand in: by time, and what begins together by pitch, length and velocity. */
const order = (a: Placed, b: Placed): number =>
  a.tick - b.tick ||
  (a.pitch ?? 0) - (b.pitch ?? 0) ||
  (a.ticks ?? 0) - (b.ticks ?? 0) ||
  (a.velocity ?? 0) - (b.velocity ?? 0);

export const inOrder = <T extends Placed>(values: readonly T[]): readonly T[] => [...values].sort(order);

export const isInOrder = (values: readonly Placed[]): boolean =>
  values.every((v, i) => i === 0 || order(values[i - 1] as Placed, v) <= 0);

/** The same for values with the same fields, whatever order those were written in. */
const keyOf = (value: object): string =>
  JSON.stringify(Object.entries(value).sort(([a], [b]) => (a < b ? -1 : a > b ? 1 : 0)));

function counted(values: readonly object[]): Map<string, number> {
  const counts = new Map<string, number>();
  for (const value of values) counts.set(keyOf(value), (counts.get(keyOf(value)) ?? 0) + 1);
  return counts;
}

/** The values of `list` that are not in `of`, each as often as it is more often in `list`. */
function beyond<T extends object>(list: readonly T[], of: readonly object[]): readonly T[] {
  const counts = counted(of);
  return list.filter((value) => {
    const left = counts.get(keyOf(value)) ?? 0;
    if (left > 0) counts.set(keyOf(value), left - 1);
    return left === 0;
  });
}

/** A list without some values; only what stands at their ticks is looked at closely. */
function without<T extends Placed>(list: readonly T[], remove: readonly object[]): readonly T[] {
  const ticks = new Set(remove.map((value) => (value as Placed).tick));
  const counts = counted(remove);
  return list.filter((value) => {
    if (!ticks.has(value.tick)) return true;
    const left = counts.get(keyOf(value)) ?? 0;
    if (left > 0) counts.set(keyOf(value), left - 1);
    return left === 0;
  });
}

/** What has to go and what has to come so that one list becomes the other. */
export const difference = <L extends ListName>(
  before: readonly ValueOf<L>[],
  after: readonly ValueOf<L>[],
): { readonly remove: readonly ValueOf<L>[]; readonly add: readonly ValueOf<L>[] } => ({
  remove: beyond(before, after),
  add: beyond(after, before),
});

/** A list without some values and with others, in order; null when not all that shall go are there. */
export function replacedIn<T extends Placed>(
  list: readonly T[],
  remove: readonly object[],
  add: readonly T[],
): readonly T[] | null {
  const kept = remove.length === 0 ? list : without(list, remove);
  if (kept.length !== list.length - remove.length) return null;
  return add.length === 0 && isInOrder(kept) ? kept : inOrder([...kept, ...add]);
}
