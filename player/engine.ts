import { LoudnessMeter } from "../core/analysis/loudness";
import { TruePeakMeter } from "../core/analysis/true-peak";
import { CheckpointMisfit } from "../core/engine/checkpoint";
import { BrokenDevice, MissingAudio } from "../core/engine/library";
import type { LevelChange } from "../core/engine/levels";
import { withLevels } from "../core/engine/levels";
import type { LiveOptions } from "../core/engine/live";
import { LiveMix, PREROLL_S, compileLive } from "../core/engine/live";
import type { Graph } from "../core/engine/graph";
import type { Tap } from "../core/engine/tap";
import { prefixFingerprint } from "../core/printing/fingerprint";
import { PLAYBACK_BLOCK } from "../core/engine/render";
import { audioNeeds, heldAudio, playedAssets } from "../core/engine/needs";
import { reshapes } from "../core/session/clips";
import type { Session } from "../core/session/document";
import type { Frames } from "../core/units";
import type { AudioCache } from "./audio-cache";
import { CheckpointTaker } from "./checkpoint-taker";
import type { Offer } from "./known-checkpoints";
import type { FromEngine, ToEngine } from "./messages";
import { FIRST_LEVEL, HELD_BACK, LOUDNESS } from "./messages";
import type { Ring } from "./ring";
import { openCheckpoint } from "./shared-checkpoint";

/**
 * How far the ring is kept ahead of what sounds: the time until a hand is heard, and the longest hiccup that is not.
 */
const AHEAD_S = 0.022;
/**
 * Once audio was missing, the ring is kept that much further ahead, up to the longest; once in a while at most, since
 * what is missing comes in bursts.
 */
const AHEAD_FACTOR = 1.6;
const AHEAD_LONGEST_S = 0.25;
/** The same for a sound card that takes more than half of that at once, in what it takes. */
const BURSTS_AHEAD = 3;
/** While the other engine works hard. */
const BRACED_S = 0.15;
const STEP_EVERY_MS = 150;
/** How far a ring is filled before playing begins. */
const PRIMED_S = 0.1;
/** What an engine plays to itself from the session's zero before the first time, so that what it needs is compiled. */
const PRACTICE_S = 0.6;
/** Audio is fetched this far ahead of where it is read, and asked for anew every so often. */
const FETCH_S = 10;
const FETCH_EVERY_S = 2;
const FETCH_FIRST_S = 3;
const LOAD_EVERY_S = 0.5;
/** Longest stretch of work before messages are looked at. */
const TURN_MS = 8;
const MIX: Tap = { kind: "mix", at: "after its chain" };

type Start = Extract<ToEngine, { kind: "start" }>;

/** What measures the track that is metered. */
interface Metering {
  readonly loudness: LoudnessMeter;
  readonly peaks: readonly [TruePeakMeter, TruePeakMeter];
}

export interface EngineHost {
  readonly ring: Ring;
  /** See `FIRST_LEVEL`. */
  readonly levels: Float32Array;
  readonly cache: AudioCache;
  readonly now: () => number;
  /** Lets messages in. */
  readonly pause: () => Promise<void>;
  readonly say: (message: FromEngine) => void;
}

/** One playback at work: fetches its audio, lets the pre-roll ring, and keeps its ring filled. */
export class Engine {
  private ticket = 0;
  private mix: LiveMix | null = null;
  /** What plays, as it was last changed. */
  private session: Session | null = null;
  private soloed: ReadonlySet<string> = new Set();
  private loudness: LoudnessMeter | null = null;
  private peaks = new Float32Array(0);
  /** Audio up to this frame of the timeline is here, or is asked for. */
  private fetchedTo: Frames = 0;
  private askedTo: Frames = 0;
  /** The one that is being rendered right now. */
  private pumping: LiveMix | null = null;
  private aheadS = AHEAD_S;
  private burst: Frames = 0;
  private braced = false;
  private stretchedAt = -Infinity;
  private practised = false;
  private measuredAt: Frames = 0;
  private spent: ReadonlyMap<string, number> = new Map();
  private watched: string | null = null;
  private metered: string | null = null;
  private meter: Metering | null = null;
  private serial = 0;
  private readonly checkpoints: CheckpointTaker;
  /** Compiled ahead for what begins exactly. */
  private spare: { readonly session: Session; readonly graph: Graph } | null = null;

  constructor(private readonly host: EngineHost) {
    this.checkpoints = new CheckpointTaker(host.now, (checkpoint) => {
      const { ticket, serial } = this;
      host.say({ kind: "checkpoint", ticket, serial, checkpoint });
    });
  }

  async start({ ticket, session: given, serial, soloed, at, pass, offers, reach }: Omit<Start, "kind">): Promise<void> {
    const session = given ?? this.session;
    if (!session) throw new Error("an engine was started without a session");
    const { cache, ring, levels, now, say } = this.host;
    this.ticket = ticket;
    this.mix = null;
    this.session = session;
    this.serial = serial;
    this.soloed = new Set(soloed);
    // What it braced for in an earlier turn is over.
    this.braced = false;
    ring.restart(at);
    levels.fill(0);
    try {
      await cache.open(playedAssets(session));
      await cache.loadWhole(heldAudio(session));
      await cache.reshape(reshapes(session), session.rate);
      this.fetchedTo = this.askedTo = 0;
      await this.fetch(Math.max(0, at - (PREROLL_S + 0.1) * session.rate), at + FETCH_FIRST_S * session.rate);
      if (ticket !== this.ticket) return;
      const make = (from: Frames, begin: LiveOptions["begin"] = "pre-roll") => {
        const graph = begin !== "pre-roll" && this.spare?.session === session ? this.spare.graph : undefined;
        if (graph) this.spare = null;
        return new LiveMix({
          session,
          soloed: new Set(soloed),
          library: cache.library,
          at: from,
          blockFrames: PLAYBACK_BLOCK,
          pass,
          now,
          begin,
          graph,
        });
      };
      if (!this.practised) await this.practise(make, session, ticket);
      if (ticket !== this.ticket) return;
      // Solo is for listening: no print sounds like it.
      const mix = soloed.length > 0 ? make(at) : this.begun(make, session, at, offers, reach);
      this.checkpoints.begin(session, mix);
      if (!(await this.warmUp(mix, session, ticket))) return;
      // What a hand did meanwhile.
      mix.change(this.session, this.soloed);
      this.mix = mix;
      this.loudness = new LoudnessMeter(session.rate);
      this.meter = null;
      this.peaks = new Float32Array(session.tracks.length);
      this.measuredAt = mix.at;
      this.spent = new Map();
      await this.pump(PRIMED_S);
      if (ticket === this.ticket) say({ kind: "ready", ticket, exact: mix.isExact });
    } catch (error) {
      if (ticket === this.ticket) this.fail(error);
    }
  }

  /** Rests, and compiles what the session begins with where it begins exactly, so that a seek is heard sooner. */
  prepare(given: Session | null, pass: number): void {
    this.rest();
    const session = (this.session = given ?? this.session);
    if (!session || this.spare?.session === session) return;
    try {
      this.spare = {
        session,
        graph: compileLive(session, { library: this.host.cache.library, blockFrames: PLAYBACK_BLOCK, pass }),
      };
    } catch {
      // The start that needs it loads what is missing, or says that it is.
      this.spare = null;
    }
  }

  /** The mix from a frame on: exact where it can begin near enough, else with a pre-roll. */
  private begun(
    make: (from: Frames, begin: LiveOptions["begin"]) => LiveMix,
    session: Session,
    at: Frames,
    offers: Start["offers"],
    reach: Frames,
  ): LiveMix {
    const isSame = ({ of, checkpoint: { clock } }: Offer) =>
      of === null || prefixFingerprint(of, [MIX], clock) === prefixFingerprint(session, [MIX], clock);
    const near = offers.find((o) => o.checkpoint.clock >= at - reach && isSame(o));
    if (near) {
      try {
        return make(at, openCheckpoint(near.checkpoint));
      } catch (error) {
        // The session before the edit had other paths.
        if (!(error instanceof CheckpointMisfit)) throw error;
      }
    }
    return make(at, at <= reach ? "zero" : "pre-roll");
  }

  private async practise(make: (from: Frames) => LiveMix, session: Session, ticket: number): Promise<void> {
    // Loaded beside what is counted as fetched, which is one unbroken stretch around the playhead.
    await this.host.cache.load(audioNeeds(session, 0, (PRACTICE_S + 0.5) * session.rate, this.host.cache.framesOf));
    if (ticket !== this.ticket) return;
    const mix = make(0);
    this.practised = await this.work(mix, ticket, () => mix.at < PRACTICE_S * session.rate);
    // How long a checkpoint takes is known before one is taken while playing. The first time is slower.
    for (let turn = 0; this.practised && turn < 2; turn++) this.checkpoints.take(mix);
  }

  /** Renders up to the first frame wanted, however far that is; false when something else was started meanwhile. */
  private async warmUp(mix: LiveMix, session: Session, ticket: number): Promise<boolean> {
    const { cache } = this.host;
    while (mix.warmingUp) {
      const { from } = mix.reads;
      const to = from + FETCH_S * session.rate;
      await cache.load(audioNeeds(session, from, to, cache.framesOf));
      if (ticket !== this.ticket) return false;
      if (!(await this.work(mix, ticket, () => mix.warmingUp && mix.reads.to <= to))) return false;
    }
    return true;
  }

  /** Renders without being heard, in turns; false when something else was started meanwhile. */
  private async work(mix: LiveMix, ticket: number, more: () => boolean): Promise<boolean> {
    const { now, pause } = this.host;
    for (let turn = now(); more();) {
      mix.render(() => undefined);
      this.checkpoints.beforeBlock(mix, mix === this.mix);
      if (now() - turn < TURN_MS) continue;
      await pause();
      if (ticket !== this.ticket) return false;
      turn = now();
    }
    return true;
  }

  /** Takes what has been turned since the start, and what is soloed now, if that has changed. */
  turn(changes: readonly LevelChange[], soloed: readonly string[] | null): void {
    if (!this.session) return;
    this.session = withLevels(this.session, changes);
    if (soloed) this.soloed = new Set(soloed);
    this.mix?.change(this.session, this.soloed);
  }

  /** Tells from now on how far this device holds back. */
  watch(device: string | null): void {
    this.watched = device;
    this.host.levels[HELD_BACK] = 0;
  }

  /** Tells this track's loudness from now on, every 100 ms. */
  measure(track: string | null): void {
    this.metered = track;
    this.meter = null;
  }

  rest(): void {
    this.ticket = 0;
    this.mix = null;
    this.host.levels.fill(0);
  }

  /** Something was missing: from now on the ring is kept further ahead. */
  stretch(): void {
    const now = this.host.now();
    if (now - this.stretchedAt < STEP_EVERY_MS) return;
    this.stretchedAt = now;
    this.aheadS = Math.min(AHEAD_LONGEST_S, this.aheadS * AHEAD_FACTOR);
  }

  /** Keeps further ahead while the machine is busy with something else. */
  brace(on: boolean): void {
    this.braced = on;
    void this.pump();
  }

  /** The ring was read from, by a sound card that takes so many frames at once. */
  drained(burst: Frames = 0): void {
    this.burst = burst;
    void this.pump();
  }

  /** Of a sound card that takes much at once: what it takes next, and two more for when it is late. */
  private leastAhead(rate: number): Frames {
    const frames = this.burst > (AHEAD_S * rate) / 2 ? BURSTS_AHEAD * this.burst : 0;
    return Math.min(frames, AHEAD_LONGEST_S * rate);
  }

  /** Fills the ring as far as it shall be ahead, as long as there is audio to do it with. */
  private async pump(aheadS = this.braced ? Math.max(BRACED_S, this.aheadS) : this.aheadS): Promise<void> {
    const { mix, session, ticket } = this;
    if (!mix || !session || this.pumping === mix) return;
    const { ring, now, pause } = this.host;
    this.pumping = mix;
    try {
      const wanted = Math.max(aheadS * session.rate, this.leastAhead(session.rate));
      for (let turn = now(); ring.ahead < wanted && this.mix === mix;) {
        const { from, to } = mix.reads;
        if (this.askedTo - to < (FETCH_S - FETCH_EVERY_S) * session.rate)
          void this.fetch(from, from + FETCH_S * session.rate).catch((error: unknown) => {
            if (ticket === this.ticket) this.fail(error);
          });
        if (to > this.fetchedTo) break;
        mix.render(this.take);
        this.checkpoints.beforeBlock(mix, mix === this.mix);
        if (this.metered !== null) this.tellLoudness(mix, session, this.metered);
        this.report(mix, session);
        if (now() - turn < TURN_MS) continue;
        await pause();
        turn = now();
      }
    } catch (error) {
      // One that has been replaced meanwhile is ignored.
      if (this.mix === mix) this.fail(error);
    } finally {
      if (this.pumping === mix) this.pumping = null;
    }
  }

  private readonly take = (left: Float32Array, right: Float32Array, offset: number, count: Frames): void => {
    this.host.ring.write(left, right, offset, count);
    this.loudness?.push(left, right, offset, count);
  };

  private tellLoudness(mix: LiveMix, { rate }: Session, track: string): void {
    const meter = (this.meter ??= {
      loudness: new LoudnessMeter(rate),
      peaks: [new TruePeakMeter(), new TruePeakMeter()],
    });
    const { loudness, peaks } = meter;
    const before = loudness.count;
    mix.hear(track, (left, right, offset, count) => {
      loudness.push(left, right, offset, count);
      peaks[0].push(left, offset, count);
      peaks[1].push(right, offset, count);
    });
    for (let step = before; step < loudness.count; step++)
      this.host.say({
        kind: "loudness",
        ticket: this.ticket,
        track,
        at: mix.at,
        power: loudness.power(step),
        truePeak: Math.max(peaks[0].peak, peaks[1].peak),
      });
  }

  private report(mix: LiveMix, session: Session): void {
    const { levels, say } = this.host;
    mix.levels(this.peaks);
    for (const [i, peak] of this.peaks.entries())
      if (peak > (levels[FIRST_LEVEL + i] as number)) levels[FIRST_LEVEL + i] = peak;
    this.peaks.fill(0);
    if (this.watched !== null) levels[HELD_BACK] = Math.min(levels[HELD_BACK] as number, mix.heldBackDb(this.watched));
    levels[LOUDNESS] = this.loudness?.lastShortTerm() ?? -Infinity;
    const frames = mix.at - this.measuredAt;
    if (frames < LOAD_EVERY_S * session.rate) return;
    const before = this.spent;
    this.spent = mix.spent();
    this.measuredAt = mix.at;
    const millis = (frames / session.rate) * 1000;
    say({
      kind: "load",
      ticket: this.ticket,
      tracks: Object.fromEntries([...this.spent].map(([id, spent]) => [id, (spent - (before.get(id) ?? 0)) / millis])),
    });
  }

  private async fetch(from: Frames, to: Frames): Promise<void> {
    const { session, ticket } = this;
    if (!session) return;
    this.askedTo = to;
    await this.host.cache.load(audioNeeds(session, from, to, this.host.cache.framesOf));
    if (ticket !== this.ticket) return;
    this.fetchedTo = Math.max(this.fetchedTo, to);
    void this.pump();
  }

  private fail(error: unknown): void {
    const { ticket } = this;
    this.mix = null;
    this.host.say({ kind: "failed", ticket, ...explain(error) });
  }
}

function explain(error: unknown): { readonly what: string; readonly todo: string } {
  if (error instanceof MissingAudio)
    return {
      what: `${error.message} What uses it cannot be played.`,
      todo: "Add the file again, or remove the clips that use it.",
    };
  if (error instanceof BrokenDevice)
    return { what: error.message, todo: "Switch the device off, or set it otherwise, and play again." };
  return {
    what: `The audio could not be read: ${error instanceof Error ? error.message : String(error)}`,
    todo: "Look whether the server still runs, and play again.",
  };
}
