import type { activityOf } from "../server/processes";

/**
 * Tells a process that hangs from one that only gets too little of the processor. Looks are counted and not the clock:
 * after this process has been held up itself, it looks before it reads what it was told meanwhile.
 */
export class Watchdog {
  private silentLooks = 0;
  /** Processor time of the process when it was last heard, in seconds; null: not looked at since. */
  private used: number | null = null;
  /** How much longer it waits after having ended one: a process that hangs again and again is ended more seldom. */
  private patience = 1;
  /** Heartbeats since the last process was ended. */
  private beats = 0;

  constructor(private readonly limits: WatchdogLimits = LIMITS) {}

  /** The process has told that it lives. */
  heard(): void {
    this.silentLooks = 0;
    this.used = null;
    this.beats++;
    if (this.beats >= this.limits.wellBeats) this.patience = 1;
  }

  /** One look at a process; why it has to be ended, or null. */
  look(activity: ReturnType<typeof activityOf>): string | null {
    this.silentLooks++;
    if (!activity) return null;
    this.used ??= activity.processorS;
    const why = this.whyEnd(activity.state, activity.processorS - this.used);
    if (why === null) return null;
    // Being stopped says nothing about how the next one will do.
    if (activity.state !== "stopped") this.patience = Math.min(8, this.patience * 2);
    this.silentLooks = 0;
    this.used = null;
    this.beats = 0;
    return why;
  }

  /** Why a process in this state has to be ended, having used so much processor time in silence (s); or null. */
  private whyEnd(state: NonNullable<ReturnType<typeof activityOf>>["state"], spentS: number): string | null {
    const { silent, asleep, loopS, most } = this.limits;
    // A stopped process can do nothing for itself, however often that happens: no patience.
    if (state === "stopped") return this.silentLooks >= silent ? "is stopped" : null;
    const looks = this.silentLooks / this.patience;
    if (looks < silent) return null;
    // In so much processor time it would have sent many heartbeats.
    if (spentS >= loopS) return `has told nothing for ${spentS.toFixed(0)} s of processor time`;
    if (state === "waits" && looks >= asleep) return "waits for something that does not come";
    return looks >= most ? "has told nothing for too long" : null;
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
  /** Heartbeats in a row after which the next hang counts as the first again. */
  readonly wellBeats: number;
}

const LIMITS: WatchdogLimits = { silent: 20, asleep: 40, loopS: 10, most: 300, wellBeats: 60 };
