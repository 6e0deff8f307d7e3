interface Identified {
  readonly id: string;
}

const known = new WeakMap<readonly Identified[], ReadonlyMap<string, Identified>>();

/**
 * The records of a list by their ids; the last one where an id stands twice. Lists of a session never change in place,
 * so what is looked up once is kept as long as the list is.
 */
export function byId<T extends Identified>(list: readonly T[]): ReadonlyMap<string, T> {
  let map = known.get(list) as ReadonlyMap<string, T> | undefined;
  if (!map) known.set(list, (map = new Map(list.map((item) => [item.id, item]))));
  return map;
}
