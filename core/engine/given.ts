import type { Frames } from "../units";
import type { Arena } from "../kernels/arena";
import type { ExchangedSignal, HelperWork } from "./exchange";
import type { Graph } from "./graph";
import { wholeNode } from "./graph";
import { BegunSum } from "./path";

/** The signals of given tracks and sums, in an order both sides agree on. */
export function givenSignals(
  graph: Graph,
  { given }: HelperWork,
  begun: readonly BegunSum[],
): readonly ExchangedSignal[] {
  return [
    ...given.flatMap(({ track, body }) => {
      const node = wholeNode(graph, track);
      return body ? [node.out, node.body] : [node.out];
    }),
    ...begun.flatMap((sum) => [halves(sum, sum.left), halves(sum, sum.right)]),
  ];
}

/** How many those are. */
export const givenCount = ({ given, sums }: HelperWork): number =>
  given.reduce((count, g) => count + (g.body ? 2 : 1), 2 * sums.length);

/** Memory for the given sums. */
export const begunSums = ({ sums }: HelperWork, arena: Arena, maxFrames: Frames): readonly BegunSum[] =>
  sums.map(() => new BegunSum(arena, maxFrames));

/** Doubles as they travel: a block of them is as long as a block of two channels of samples. */
function halves(sum: BegunSum, doubles: Float64Array): ExchangedSignal {
  const words = (part: number) =>
    new Float32Array(doubles.buffer, doubles.byteOffset + part * doubles.length * 4, doubles.length);
  return {
    left: words(0),
    right: words(1),
    get silent() {
      return sum.silent;
    },
    set silent(silent) {
      sum.silent = silent;
    },
  };
}
