import type { Delivery } from "../../contract/link";
import { formatPosition, meterMap } from "../../core/time/meter";
import { tempoMap } from "../../core/time/tempo";

export interface Bars {
  /** Beginnings of bars: their numbers, and where they are in the files, in seconds. */
  readonly lines: readonly { readonly bar: number; readonly atS: number }[];
  readonly marks: readonly { readonly name: string; readonly atS: number }[];
  /** `12.3`, where the song is at a place of the files; `in front` within the silence. */
  positionAt(s: number): string;
}

/** More lines than a screen can show are not made. */
const MOST_LINES = 4000;

/** Where a delivery's bars are in its files. */
export function barsOf({ tempo, meter, leadIn, from, songRate, silence, rate, frames, markers }: Delivery): Bars {
  const time = tempoMap(tempo, songRate);
  const bars = meterMap(meter, leadIn);
  const silenceS = silence.frames / rate;
  const zero = from / songRate - silenceS;
  const first = time.toTicks(from);
  const end = frames / rate;
  const inFiles = (tick: number) => time.toSeconds(tick) - zero;
  const lines: { bar: number; atS: number }[] = [];
  for (let bar = bars.position(first).bar; lines.length < MOST_LINES; bar++) {
    const atS = inFiles(bars.barToTick(bar));
    if (atS > end) break;
    if (atS >= silenceS - 1e-6) lines.push({ bar, atS });
  }
  return {
    lines,
    marks: markers.map((m) => ({ name: m.name, atS: inFiles(m.tick) })),
    positionAt: (s) =>
      s < silenceS - 1e-6
        ? "in front"
        : formatPosition(bars.position(time.toTicks(Math.round((s + zero) * songRate)))).replace(/\.\d+$/, ""),
  };
}
