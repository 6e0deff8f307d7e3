import { LoudnessSteps } from "../../core/analysis/loudness";
import { gainToDb } from "../../core/math";
import type { Db, Hertz } from "../../core/units";
import type { LoudnessStep } from "../../player/messages";

/** Ranges are worked out anew after so many steps: they take all that was heard into account. */
const WEIGH_EVERY = 5;

/** What a meter shows, in LUFS, LU and dBTP; null where there is nothing to show yet. */
export interface LoudnessNow {
  readonly momentary: Db | null;
  readonly shortTerm: Db | null;
  readonly integrated: Db | null;
  readonly range: number | null;
  readonly truePeakDb: Db | null;
}

const heard = (lufs: Db | null): Db | null => (lufs === null || lufs < -120 ? null : lufs);

/** The loudness of one track since playing began, and where on the timeline it was how loud. */
export class LoudnessLog {
  private readonly steps = new LoudnessSteps();
  private truePeak = 0;
  private weighed: Pick<LoudnessNow, "integrated" | "range"> = { integrated: null, range: null };
  private weighedAt = -WEIGH_EVERY;
  /** Short-term loudness by tenths of a second of the timeline. */
  readonly places: number[] = [];

  constructor(private readonly rate: Hertz) {}

  /** Steps taken so far. */
  get count(): number {
    return this.steps.count;
  }

  take({ at, power, truePeak }: LoudnessStep): void {
    this.steps.add(power);
    this.truePeak = Math.max(this.truePeak, truePeak);
    this.places[Math.max(0, Math.round((10 * at) / this.rate) - 1)] = this.steps.lastShortTerm() ?? -Infinity;
  }

  now(): LoudnessNow {
    const { steps } = this;
    if (steps.count - this.weighedAt >= WEIGH_EVERY) {
      this.weighed = { integrated: steps.integrated(), range: steps.range() };
      this.weighedAt = steps.count;
    }
    return {
      ...this.weighed,
      momentary: heard(steps.lastMomentary()),
      shortTerm: heard(steps.lastShortTerm()),
      truePeakDb: this.truePeak > 0 ? gainToDb(this.truePeak) : null,
    };
  }
}
