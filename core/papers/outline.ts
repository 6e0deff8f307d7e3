/** The lowest and highest value of a span of a file, as parts of its loudest place. */
export interface Span {
  readonly least: number;
  readonly most: number;
}

/** An overview of at most so many pairs, each of which holds the lowest and the highest of those it stands for. */
export function thinned(overview: Uint8Array, atMost: number): Uint8Array {
  const pairs = new Int8Array(overview.buffer, overview.byteOffset, overview.length);
  const count = pairs.length >> 1;
  if (count <= atMost) return overview.slice();
  const thin = new Int8Array(2 * atMost);
  for (let p = 0; p < atMost; p++) {
    const from = Math.floor((p * count) / atMost);
    const to = Math.floor(((p + 1) * count) / atMost);
    let [least, most] = [pairs[2 * from] ?? 0, pairs[2 * from + 1] ?? 0];
    for (let k = from + 1; k < to; k++) {
      least = Math.min(least, pairs[2 * k] ?? 0);
      most = Math.max(most, pairs[2 * k + 1] ?? 0);
    }
    thin[2 * p] = least;
    thin[2 * p + 1] = most;
  }
  return new Uint8Array(thin.buffer);
}

/**
 * A file's outline at so many points, as high as its loudest place is, from pairs of signed bytes as an overview has
 * them.
 */
export function outlineOf(overview: Uint8Array, atMost: number): readonly Span[] {
  const pairs = new Int8Array(overview.buffer, overview.byteOffset, overview.length);
  const count = pairs.length >> 1;
  const points = Math.min(atMost, count);
  const spans = Array.from({ length: points }, (_, p) => {
    let [least, most] = [0, 0];
    for (let k = Math.floor((p * count) / points); k < Math.floor(((p + 1) * count) / points); k++) {
      least = Math.min(least, pairs[2 * k] ?? 0);
      most = Math.max(most, pairs[2 * k + 1] ?? 0);
    }
    // An overview rounds outwards by up to one, which in a quiet file would be a band of its own.
    return { least: Math.min(0, least + 1), most: Math.max(0, most - 1) };
  });
  const loudest = spans.reduce((high, { least, most }) => Math.max(high, most, -least), 1);
  return spans.map(({ least, most }) => ({ least: least / loudest, most: most / loudest }));
}
