import type { ExchangedSignal, SignalExchange } from "../engine/exchange";
import { sessionEnd } from "../engine/render";
import { dividePass } from "../engine/split";
import type { Tap } from "../engine/tap";
import { helpRender } from "../engine/helper";
import type { Session } from "../session/document";
import type { Heard } from "./listen";
import { joined, listen } from "./listen";
import { recordings as library } from "./random-session";

/** A helper that runs first, in the same thread: what it gives is kept for the lead, which ends when it may. */
class Kept implements SignalExchange {
  private readonly blocks: { readonly signals: readonly ExchangedSignal[]; readonly lastLoud: number }[] = [];
  over = false;
  safe = 0;

  /**
   * `end`: where the lead will find the end, known from a render alone; `ahead`: blocks to give beyond it for the
   * lead's latency.
   */
  constructor(
    private readonly end: number,
    private readonly ahead: number,
  ) {}

  give(block: number, signals: readonly ExchangedSignal[], frames: number, lastLoud: number): void {
    if (block !== this.blocks.length) throw new Error(`block ${block} comes out of turn`);
    this.blocks.push({
      signals: signals.map(({ left, right, silent }) => ({
        left: left.slice(0, frames),
        right: right.slice(0, frames),
        silent,
      })),
      lastLoud,
    });
    if (block * frames > this.end + this.ahead) this.finish(this.end);
  }

  take(block: number, signals: readonly ExchangedSignal[]): number {
    const kept = this.blocks[block];
    if (!kept) throw new Error(`block ${block} was never given`);
    signals.forEach((s, i) => {
      const from = kept.signals[i] as ExchangedSignal;
      s.left.set(from.left);
      s.right.set(from.right);
      s.silent = from.silent;
    });
    return kept.lastLoud;
  }

  passed(): void {}

  finish(frame: number): void {
    this.safe = frame;
    this.over = true;
  }
}

export const same = (a: Heard, b: Heard) => sameSamples(a.left, b.left) && sameSamples(a.right, b.right);

/** All taps, some rendered by helpers that give the rest of what they compute to the lead. */
export function inParts(
  s: Session,
  taps: readonly Tap[],
  tail: "measured" | "none",
  end: number,
  leastSum: number,
  threads = 2,
): readonly Heard[] | null {
  const plan = dividePass(s, taps, threads, leastSum);
  if (!plan) return null;
  const to = sessionEnd(s);
  const all: Heard[] = [];
  const helpers = plan.helpers.map(({ taps: own, work }) => {
    const exchange = new Kept(end, 16384);
    const parts = own.map(() => ({ left: [] as Float32Array[], right: [] as Float32Array[] }));
    helpRender(
      {
        session: s,
        library,
        from: 0,
        to,
        tail,
        taps: own.map((i, k) => ({
          tap: taps[i] as Tap,
          sink: (l, r, offset, n) => {
            parts[k]?.left.push(l.slice(offset, offset + n));
            parts[k]?.right.push(r.slice(offset, offset + n));
          },
        })),
      },
      work,
      exchange,
    );
    own.forEach((i, k) => {
      all[i] = { left: joined(parts[k]?.left ?? []), right: joined(parts[k]?.right ?? []) };
    });
    return { work, exchange };
  });
  const lead = listen(
    s,
    plan.lead.map((i) => taps[i] as Tap),
    { library, to, tail, helpers },
  );
  plan.lead.forEach((i, k) => {
    all[i] = lead[k] as Heard;
  });
  return all;
}

const sameSamples = (a: Float32Array, b: Float32Array): boolean => {
  const [x, y] = [new Int32Array(a.buffer, a.byteOffset, a.length), new Int32Array(b.buffer, b.byteOffset, b.length)];
  return x.length === y.length && x.every((v, i) => v === y[i]);
};

/**
 * Holds every tap of a divided pass to the same pass in one; `different` are those that are not the same to the last
 * bit.
 */
export function isWhole(
  s: Session,
  taps: readonly Tap[],
  tail: "measured" | "none",
  leastSum: number,
  threads: number,
): { readonly divided: boolean; readonly different: readonly number[] } {
  const alone = listen(s, taps, { library, tail });
  const both = inParts(s, taps, tail, alone[0]?.left.length ?? 0, leastSum, threads);
  return {
    divided: both !== null,
    different: both?.flatMap((heard, i) => (alone[i] && same(heard, alone[i]) ? [] : [i])) ?? [],
  };
}
