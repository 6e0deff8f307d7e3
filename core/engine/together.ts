import { Arena } from "./arena";
import { compile, mixNode, neededFor } from "./graph";
import { RUN } from "./path";
import type { RenderRequest } from "./render";
import type { SumExchange } from "./exchange";
import { DEFAULT_BLOCK } from "./render";

/**
 * The other half of a mix: computes the runs that `exchange` names and gives their sums until it is over. `request` is the one the mix is
 * rendered with; its taps only say what is compiled. Throws what a render throws.
 */
export function helpMix(request: Omit<RenderRequest, "onBlock" | "agreeOnEnd">, exchange: SumExchange): void {
  const block = request.blockFrames ?? DEFAULT_BLOCK;
  const { graph, sums } = Arena.for((arena) => {
    const made = compile(request.session, request.taps.map((t) => t.tap), {
      library: request.library, maxFrames: block, ...(request.endAt === undefined ? {} : { endAt: request.endAt }), ...(request.pass === undefined ? {} : { pass: request.pass }),
    }, arena);
    return { graph: made, sums: made.sums };
  });
  const mix = mixNode(graph);
  if (!mix) throw new RangeError("there is no mix to help with");
  const runs = new Set(exchange.runs);
  const nodes = neededFor(graph, mix, (i) => runs.has(Math.floor(i / RUN)));
  for (let number = 0; !exchange.over; number++) {
    const clock = number * block;
    for (const node of nodes) node.render(clock, block);
    for (const run of exchange.runs) {
      const silent = sums.run(mix.inflows, run, clock, block);
      exchange.give(number, run, sums.partLeft, sums.partRight, block, silent);
    }
  }
}

