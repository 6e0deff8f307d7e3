import type { activityOf } from "../server/processes";

/**
 * Tells a process that hangs from one that only gets too little of the processor. Looks are counted and not the clock:
 * after this process has been held up itself, it looks before it reads what it was told meanwhile.
 */
export class Watchdog {
  private silentLooks = 0;
  /** Processor time of the process when it was last heard, in seconds; null: not looked at since. */
  private used: number | null = null;
  /** How much longer it waits after having ended one: what hangs again and again is ended more seldom. */
  private patience = 1;

  constructor(private readonly limits: WatchdogLimits = LIMITS) {}

  /** The process has told that it lives. */
  heard(): void {
    this.silentLooks = 0;
    this.used = null;
  }

  /** One look at a process; why it has to be ended, or null. */
  look(activity: ReturnType<typeof activityOf>): string | null {
    this.silentLooks++;
    if (!activity) return null;
    this.used ??= activity.processorS;
    const { silent, asleep, loopS, most } = this.limits;
    const looks = this.silentLooks / this.patience;
    const spentS = activity.processorS - this.used;
    const why =
      looks < silent
        ? null
        : activity.state === "stopped"
          ? "is stopped"
          : // In so much processor time it would have told many times over.
            spentS >= loopS
            ? `has told nothing for ${spentS.toFixed(0)} s of processor time`
            : activity.state === "waits" && looks >= asleep
              ? "waits for something that does not come"
              : looks >= most
                ? "has told nothing for too long"
                : null;
    if (why !== null) {
      this.patience = Math.min(8, this.patience * 2);
      this.heard();
    }
    return why;
  }
}

/** In looks, of which there is one a second. */
export interface WatchdogLimits {
  /** From here on it is looked at more closely. */
  readonly silent: number;
  /** A process that waits and reports nothing is ended after this number of looks. */
  readonly asleep: number;
  /** Seconds of its own processor time in which one that is well has told that it lives. */
  readonly loopS: number;
  /** The limit for every process, also one that gets little processor time. */
  readonly most: number;
}

const LIMITS: WatchdogLimits = { silent: 20, asleep: 40, loopS: 10, most: 300 };
