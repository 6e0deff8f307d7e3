/* eslint-disable max-lines -- one state machine: two engines, an output and the page take turns in it */
/** Long because it is one state machine: two engines, one output, and every way from one to the other. */

import { levelChanges } from "../core/engine/levels";
import type { Session } from "../core/session/document";
import type { Frames } from "../core/units";
import { KnownCheckpoints } from "./known-checkpoints";
import type { FromEngine, FromOutput, LoudnessStep, ToEngine, ToOutput } from "./messages";
import { FIRST_LEVEL, HELD_BACK, LOUDNESS, levelsMemory } from "./messages";
import type { Takeover } from "./output";
import { ringMemory } from "./ring";

export type PlayState = "stopped" | "starting" | "playing";

/** A stretch of the timeline, in frames. */
export interface Stretch {
  readonly from: Frames;
  readonly to: Frames;
}

export interface PlayerEvents {
  state(state: PlayState): void;
  /** Both engines know all they need: playing begins, and changes take over, at once. */
  ready(): void;
  /** Computing time over playing time, by track, of the last half second. */
  load(tracks: Readonly<Record<string, number>>): void;
  /** Of the track that is metered; see `Player.measure`. */
  loudness(step: LoudnessStep): void;
  /** Sound was missing: the machine did not keep up. */
  missed(frames: Frames): void;
  failed(what: string, todo: string): void;
}

/**
 * After a change, another may follow at once: that many milliseconds are waited for it before anything is made anew.
 */
const SETTLE_MS = 60;
/** The sound card is let go once nothing has played for so long. */
const IDLE_SUSPEND_MS = 30_000;
/** A takeover in the running timeline is aimed this far ahead. */
const FOLLOW_AHEAD_S = 0.2;
/**
 * How far before a place playing begins silently to be exact there: what is computed while a press is not yet felt, and
 * what is caught up with afterwards, in the background.
 */
const NEAR_S = 2.5;
const CATCH_UP_S = 120;
/** The next round of a loop takes at most this part of the time that is left of the one before. */
const LOOP_SHARE = 0.5;

interface Deck {
  readonly worker: Worker;
  readonly ring: SharedArrayBuffer;
  readonly levels: Float32Array;
  readonly port: MessagePort;
  /** Of what it was started with last. */
  ticket: number;
  /** What its engine has, with all it was told since; null before it was started. */
  session: Session | null;
  ready: boolean;
  /** Whether it gives what a print has. */
  exact: boolean;
}

/** What the idle deck is being made ready for. */
interface Standby {
  readonly ticket: number;
  readonly at: Frames;
  readonly how: Takeover;
  /** It only makes exact what plays already: anything else goes before it. */
  readonly catchesUp: boolean;
}

/**
 * Plays a session in the browser. Two engines take turns: one is heard, the other gets ready for what cannot be glided
 * to: another place, another routing or the next round of a loop. Stopped, one stands ready at the playhead, so
 * that playing begins at once.
 */
export class Player {
  /** Fetches for both engines. */
  private audio: Worker | null = null;
  private made: readonly [Deck, Deck] | null = null;
  private readonly clock = new Int32Array(new SharedArrayBuffer(4));
  private context: AudioContext | null = null;
  private output: Promise<AudioWorkletNode> | null = null;
  private lead: 0 | 1 = 0;
  private standby: Standby | null = null;
  private state: PlayState = "stopped";
  private head: Frames = 0;
  private loop: Stretch | null = null;
  private tickets = 0;
  private passes = 0;
  private timer: ReturnType<typeof setTimeout> | undefined;
  private suspendTimer: ReturnType<typeof setTimeout> | undefined;
  /** Something that cannot be glided to has changed since the leading engine was started. */
  private stale = true;
  private bothWarm = false;
  /** Whether the engines get ready before play is pressed. */
  private isWarm = false;
  private isTouched = false;
  private metered: string | null = null;
  private watched: string | null = null;
  private readonly known = new KnownCheckpoints();
  /** Computing time over playing time of the last half second; null before it is known. */
  private load: number | null = null;
  /** What the leading engine plays was tried to be caught up with. */
  private caughtUp = true;

  constructor(
    private session: Session,
    private soloed: ReadonlySet<string>,
    private readonly events: PlayerEvents,
  ) {}

  /** Begun when they are first needed. */
  private get decks(): readonly [Deck, Deck] {
    if (this.made) return this.made;
    const audio = new Worker(new URL("./audio.worker.ts", import.meta.url), { type: "module", name: "audio" });
    this.audio = audio;
    this.made = [this.makeDeck(audio), this.makeDeck(audio)];
    for (const deck of this.made) {
      if (this.metered !== null) this.tell(deck, { kind: "meter", track: this.metered });
      if (this.watched !== null) this.tell(deck, { kind: "watch", device: this.watched });
    }
    return this.made;
  }

  private makeDeck(fetching: Worker): Deck {
    const worker = new Worker(new URL("./engine.worker.ts", import.meta.url), { type: "module", name: "engine" });
    const { port1, port2 } = new MessageChannel();
    const levels = levelsMemory();
    const deck: Deck = {
      worker,
      ring: ringMemory(),
      levels: new Float32Array(levels),
      port: port2,
      ticket: 0,
      session: null,
      ready: false,
      exact: false,
    };
    const audio = new MessageChannel();
    fetching.postMessage(audio.port1, [audio.port1]);
    worker.postMessage(
      { kind: "connect", ring: deck.ring, levels, output: port1, audio: audio.port2 } satisfies ToEngine,
      [port1, audio.port2],
    );
    worker.onmessage = ({ data }: MessageEvent<FromEngine>) => this.hearEngine(deck, data);
    worker.onerror = (event) => this.fail(event.message || "The engine stopped.", "Load the page anew.");
    return deck;
  }

  close(): void {
    clearTimeout(this.timer);
    clearTimeout(this.suspendTimer);
    for (const deck of this.made ?? []) deck.worker.terminate();
    this.audio?.terminate();
    void this.context?.close();
  }

  /** A hand has touched the page: from now on browsers allow sound. */
  touch(): void {
    this.isTouched = true;
    if (this.isWarm) this.openSound();
  }

  /** Gets everything ready before play is pressed, from now on after every change. */
  warm(): void {
    this.isWarm = true;
    if (this.isTouched) this.openSound();
    if (this.stale && this.state === "stopped" && this.timer === undefined) this.prime(0);
  }

  private openSound(): void {
    // Where it fails it is tried again, and said, when play is pressed.
    this.sound().catch(() => {
      this.output = null;
    });
  }

  /** Timeline frame that is heard now. */
  get position(): Frames {
    if (this.state !== "playing") return this.head;
    const late = (this.context?.outputLatency ?? 0) * this.session.rate;
    return Math.max(0, Atomics.load(this.clock, 0) - late);
  }

  /** Peak of each track since this was asked last, in the session's order; what is read is reset. */
  peaks(into: Float32Array): void {
    if (!this.made) return void into.fill(0);
    const { levels } = this.made[this.lead];
    for (let i = 0; i < into.length; i++) {
      into[i] = levels[FIRST_LEVEL + i] as number;
      levels[FIRST_LEVEL + i] = 0;
    }
  }

  /** Loudness of the mix over the last three seconds, in LUFS. */
  get loudness(): number {
    return this.made ? (this.made[this.lead].levels[LOUDNESS] as number) : -Infinity;
  }

  /** Chooses the track whose loudness is told; null: none. */
  measure(track: string | null): void {
    this.metered = track;
    for (const deck of this.made ?? []) this.tell(deck, { kind: "meter", track });
  }

  /** Chooses the device that `heldBackDb` is about. */
  watch(device: string | null): void {
    this.watched = device;
    for (const deck of this.made ?? []) this.tell(deck, { kind: "watch", device });
  }

  /** The furthest the watched device has held back since this was asked last: 0 dB or less. */
  get heldBackDb(): number {
    if (!this.made) return 0;
    const { levels } = this.made[this.lead];
    const held = levels[HELD_BACK] as number;
    levels[HELD_BACK] = 0;
    return held;
  }

  /** Takes what the session has become and what is soloed. */
  take(session: Session, soloed: ReadonlySet<string>): void {
    if (session === this.session && soloed === this.soloed) return;
    const changes = levelChanges(this.session, session);
    const solo = soloed === this.soloed ? null : [...soloed];
    for (const deck of this.made ?? []) {
      if (!changes || deck.session !== this.session) continue;
      if (changes.length > 0 || solo) this.tell(deck, { kind: "turn", changes, soloed: solo });
      deck.session = session;
    }
    this.session = session;
    this.soloed = soloed;
    if (!changes) this.stale = true;
    else if (changes.length === 0 && !solo) return;
    if (this.state !== "stopped") {
      if (!changes) this.renew();
    } else if (this.isWarm) this.prime(200);
  }

  async play(): Promise<void> {
    if (this.state !== "stopped") return;
    this.isWarm = true;
    this.setState("starting");
    clearTimeout(this.suspendTimer);
    const deck = this.decks[this.lead];
    if (this.stale || deck.ticket === 0) this.start(deck, this.head);
    clearTimeout(this.timer);
    this.timer = undefined;
    try {
      const output = await this.sound();
      await this.context?.resume();
      this.begin(output);
    } catch (error) {
      this.output = null;
      this.fail(
        `The sound card could not be opened: ${error instanceof Error ? error.message : String(error)}`,
        "Look whether a sound card is connected and free, and play again.",
      );
    }
  }

  /** Begins to play once engine and sound card are both ready. */
  private begin(output: AudioWorkletNode): void {
    if (this.state !== "starting" || !this.decks[this.lead].ready) return;
    Atomics.store(this.clock, 0, this.head);
    this.send(output, { kind: "play", ring: this.lead });
    this.setState("playing");
    this.stale = true;
    this.caughtUp = false;
    this.arm();
  }

  stop(): void {
    if (this.state === "starting") {
      this.setState("stopped");
      return;
    }
    if (this.state !== "playing") return;
    this.head = Atomics.load(this.clock, 0);
    this.dropStandby();
    void this.output?.then((output) => this.send(output, { kind: "stop" }));
    this.setState("stopped");
  }

  /** Goes to a frame of the timeline, playing or not. */
  seek(frame: Frames): void {
    const to = Math.max(0, Math.round(frame));
    this.caughtUp = false;
    if (this.state === "playing") return this.getReady(to, { kind: "jump" });
    this.head = to;
    this.stale = true;
    if (this.state === "starting") this.start(this.decks[this.lead], to);
    else if (this.isWarm) this.prime(40);
  }

  /** Plays a stretch round and round from when the playhead comes to its end; null: on to the session's end. */
  setLoop(loop: Stretch | null): void {
    this.loop = loop;
    if (this.state !== "playing") return;
    if (this.standby?.how.kind === "loop" || this.standby?.catchesUp) this.dropStandby();
    this.arm();
  }

  private setState(state: PlayState): void {
    if (state === this.state) return;
    this.state = state;
    this.events.state(state);
  }

  private fail(what: string, todo: string): void {
    this.stop();
    this.events.failed(what, todo);
  }

  private tell(deck: Deck, message: ToEngine): void {
    deck.worker.postMessage(message);
  }

  private send(output: AudioWorkletNode, message: ToOutput, transfer: Transferable[] = []): void {
    output.port.postMessage(message, transfer);
  }

  private start(deck: Deck, at: Frames, reachS = NEAR_S): void {
    deck.ticket = ++this.tickets;
    deck.ready = false;
    deck.exact = false;
    if (deck === this.decks[this.lead]) this.stale = false;
    this.tell(deck, {
      kind: "start",
      ticket: deck.ticket,
      session: deck.session === this.session ? null : this.session,
      serial: this.known.serialOf(this.session),
      soloed: [...this.soloed],
      at,
      pass: this.passes++,
      offers: this.known.before(this.session, at),
      reach: Math.round(reachS * this.session.rate),
    });
    deck.session = this.session;
  }

  /** Stopped: has the leading engine stand ready at the playhead, once nothing has changed for a moment. */
  private prime(afterMs: number): void {
    clearTimeout(this.timer);
    this.timer = setTimeout(() => {
      this.timer = undefined;
      if (this.state === "stopped") this.start(this.decks[this.lead], this.head);
    }, afterMs);
  }

  /** Playing: has the other engine take over where the first has come to by then. */
  private renew(): void {
    clearTimeout(this.timer);
    this.timer = setTimeout(() => {
      this.timer = undefined;
      // After a seek, the change is heard there first.
      if (this.standby?.how.kind === "jump") this.getReady(this.standby.at, this.standby.how);
      else if (this.state === "playing")
        this.getReady(Atomics.load(this.clock, 0) + Math.round(FOLLOW_AHEAD_S * this.session.rate), { kind: "follow" });
      else if (this.state === "starting") this.start(this.decks[this.lead], this.head);
    }, SETTLE_MS);
  }

  /** The other engine practises too, so that it takes over quickly when it is needed. */
  private warmOther(): void {
    this.bothWarm = true;
    if (this.state === "stopped") this.start(this.decks[1 - this.lead] as Deck, this.head);
  }

  private getReady(at: Frames, how: Takeover, reachS = NEAR_S, catchesUp = false): void {
    this.dropStandby();
    const deck = this.decks[1 - this.lead] as Deck;
    this.tell(this.decks[this.lead], { kind: "brace", on: true });
    this.start(deck, at, reachS);
    this.standby = { ticket: deck.ticket, at, how, catchesUp };
    // A follower's ring goes along with the timeline from now on, so that its engine knows how far ahead it has to be.
    if (how.kind === "follow") void this.output?.then((output) => this.send(output, { kind: "take over", how }));
  }

  private dropStandby(): void {
    if (!this.standby) return;
    const idle = this.decks[1 - this.lead] as Deck;
    // Nothing waits for it: it would go on for as long as catching up takes.
    if (this.standby.catchesUp && !idle.ready) {
      idle.ticket = 0;
      this.tell(idle, { kind: "rest" });
    }
    this.standby = null;
    this.tell(this.decks[this.lead], { kind: "brace", on: false });
    void this.output?.then((output) => this.send(output, { kind: "forget" }));
  }

  /** What the other engine does while one plays: the next round of a loop, what makes exact what plays, or a seek. */
  private arm(): void {
    if (this.standby || this.timer !== undefined) return;
    const now = Atomics.load(this.clock, 0);
    const { loop, session } = this;
    if (loop && loop.to > loop.from && now < loop.to) {
      const leftS = (loop.to - now) / session.rate;
      const reachS = this.load === null ? 0 : (LOOP_SHARE * leftS) / Math.max(0.01, this.load);
      return this.getReady(loop.from, { kind: "loop", at: loop.to }, Math.min(CATCH_UP_S, Math.max(NEAR_S, reachS)));
    }
    if (!this.caughtUp && !this.decks[this.lead].exact && this.soloed.size === 0) {
      this.caughtUp = true;
      const ahead = Math.round(FOLLOW_AHEAD_S * session.rate);
      const earliest = now - CATCH_UP_S * session.rate;
      if (earliest <= 0 || this.known.before(session, now).some((o) => o.checkpoint.clock > earliest))
        return this.getReady(now + ahead, { kind: "follow" }, CATCH_UP_S, true);
    }
    this.prepareIdle();
  }

  /** Nothing is wanted of the other engine: it gets ready for a seek. */
  private prepareIdle(): void {
    const idle = this.decks[1 - this.lead] as Deck;
    idle.ticket = 0;
    idle.ready = false;
    const session = idle.session === this.session ? null : this.session;
    this.tell(idle, { kind: "prepare", session, pass: this.passes++ });
    idle.session = this.session;
  }

  private hearEngine(deck: Deck, message: FromEngine): void {
    if (message.ticket !== deck.ticket) return;
    const leads = deck === this.decks[this.lead];
    switch (message.kind) {
      case "checkpoint":
        this.known.add(message.serial, message.checkpoint);
        return;
      case "ready":
        deck.ready = true;
        deck.exact = message.exact;
        if (leads && !this.bothWarm) this.warmOther();
        else if (!leads && !this.standby) this.events.ready();
        if (leads && this.state === "starting") void this.output?.then((output) => this.begin(output));
        else if (this.standby?.ticket === message.ticket && this.standby.how.kind !== "follow") {
          const { how } = this.standby;
          this.tell(this.decks[this.lead], { kind: "brace", on: false });
          void this.output?.then((output) => this.send(output, { kind: "take over", how }));
        }
        return;
      case "loudness":
        if (leads && this.state === "playing") this.events.loudness(message);
        return;
      case "load":
        if (!leads || this.state !== "playing") return;
        this.load = Object.values(message.tracks).reduce((sum, track) => sum + track, 0);
        this.events.load(message.tracks);
        return;
      case "failed":
        deck.ticket = 0;
        deck.ready = false;
        if (leads && this.state === "stopped") this.stale = true;
        // What is heard goes on as it is.
        else if (this.standby?.catchesUp && !leads) this.dropStandby();
        else this.fail(message.what, message.todo);
        return;
    }
  }

  private hearOutput(message: FromOutput): void {
    switch (message.kind) {
      case "took over": {
        const old = this.decks[this.lead];
        this.lead = message.ring as 0 | 1;
        this.standby = null;
        // The old ring still fades; its engine has rendered that already.
        old.ticket = 0;
        this.tell(old, { kind: "rest" });
        this.arm();
        return;
      }
      case "stopped":
        if (this.state === "stopped") this.prime(0);
        this.suspendTimer = setTimeout(
          () => void (this.state === "stopped" && this.context?.suspend()),
          IDLE_SUSPEND_MS,
        );
        return;
      case "missed":
        if (this.state !== "playing") return;
        for (const deck of this.decks) this.tell(deck, { kind: "stretch" });
        // The machine has no time for more than what is heard.
        if (this.standby?.catchesUp) this.dropStandby();
        this.events.missed(message.frames);
        return;
    }
  }

  /** The sound card, opened at the session's rate when it is first asked for. */
  private sound(): Promise<AudioWorkletNode> {
    this.output ??= this.open();
    return this.output;
  }

  private async open(): Promise<AudioWorkletNode> {
    const context = new AudioContext({ sampleRate: this.session.rate, latencyHint: "interactive" });
    this.context = context;
    await context.audioWorklet.addModule(new URL("./output.worklet.gen.js", import.meta.url));
    const node = new AudioWorkletNode(context, "stemzo-output", { numberOfInputs: 0, outputChannelCount: [2] });
    node.port.onmessage = ({ data }: MessageEvent<FromOutput>) => this.hearOutput(data);
    const [a, b] = this.decks;
    this.send(
      node,
      {
        kind: "connect",
        rings: [a.ring, b.ring],
        engines: [a.port, b.port],
        clock: this.clock.buffer as SharedArrayBuffer,
      },
      [a.port, b.port],
    );
    node.connect(context.destination);
    return node;
  }
}
