import { createStore } from "zustand/vanilla";
import type { Session } from "../../core/session/document";
import type { Edit } from "../../core/session/edits";
import { applyTyped } from "../../core/session/apply";
import type { Frames } from "../../core/units";
import type { PlayState, Stretch } from "../../player/player";
import { Player } from "../../player/player";
import { clockOf } from "../session/clock";
import { useFirstSteps } from "../session/first-steps";
import type { SessionStoreApi } from "../session/store";
import { KeepingUp } from "./keeping-up";
import { LoudnessLog } from "./loudness-log";

/** Playing, as the screens show and steer it. Nothing of it is stored with the session. */
export interface Playback {
  readonly state: PlayState;
  /** Everything that playing needs is there: it begins at once. */
  readonly ready: boolean;
  readonly soloed: ReadonlySet<string>;
  /** The stretch that was marked on the ruler, and whether playing goes round in it. */
  readonly stretch: Stretch | null;
  readonly looping: boolean;
  /** Frames of sound that were missing since playing began. */
  readonly missed: Frames;
  /** Where the machine does not keep up: the tracks to freeze so that it does. */
  readonly relief: readonly string[];
  /** Counts jumps of the playhead, for views that follow it. */
  readonly jumps: number;
  toggle(): void;
  stop(): void;
  seek(frame: Frames): void;
  /** Moves the playhead to the beginning of a bar before or after. */
  stepBars(by: number): void;
  solo(tracks: readonly string[]): void;
  soloNone(): void;
  /** Lets edits be heard while a hand still moves; null: what is stored again. */
  tryOut(edits: readonly Edit[] | null): void;
  mark(stretch: Stretch | null): void;
  loop(on: boolean): void;
  /** Timeline frame that is heard now, or where playing would begin. */
  position(): Frames;
  /** See `Player.peaks`. */
  peaks(into: Float32Array): void;
  loudness(): number;
  /** See `Player.watch`. */
  watch(device: string | null): void;
  heldBackDb(): number;
  /** What is played in the session's place, as it was before or after something; null: the session itself. */
  readonly audition: Session | null;
  /** Plays another version of the session from now on, without a gap. */
  hearInstead(version: Session | null): void;
  /** The track whose loudness is measured while it plays; null: none is. */
  readonly metered: string | null;
  /** What was measured since playing began, and of which track: it stays when measuring ends. */
  readonly log: LoudnessLog;
  readonly loggedOf: string | null;
  measure(track: string | null): void;
  connect(): () => void;
}

export interface PlaybackNotices {
  failed(what: string, todo: string): void;
  /** The machine does not keep up. */
  behind(): void;
}

const LOOK_EVERY_MS = 250;
const WARM_AFTER_MS = 1000;
/** The mix has rung out below this, in LUFS over three seconds. */
const RUNG_OUT = -60;

export function createPlaybackStore(session: SessionStoreApi, notices: PlaybackNotices) {
  return createStore<Playback>()((set, get) => {
    let player: Player | null = null;
    const keeping = new KeepingUp();
    const newLog = () => new LoudnessLog(session.getState().session.rate);
    const hearAlone = (tracks: readonly string[]) => {
      set({ soloed: new Set(tracks) });
      player?.take(session.getState().session, get().soloed);
    };

    return {
      state: "stopped",
      ready: false,
      soloed: new Set<string>(),
      stretch: null,
      looping: false,
      missed: 0,
      relief: [],
      jumps: 0,
      toggle() {
        if (get().state !== "stopped") return player?.stop();
        set({ relief: [], missed: 0, loggedOf: get().metered, log: newLog() });
        keeping.begin();
        useFirstSteps.getState().tick("listen");
        void player?.play();
      },
      stop: () => player?.stop(),
      seek(frame) {
        player?.seek(frame);
        set({ jumps: get().jumps + 1 });
      },
      stepBars(by) {
        const { meter, tempo } = clockOf(session.getState().session);
        const tick = tempo.toTicks(get().position());
        const { bar } = meter.position(tick);
        // A little into a bar, a step back goes to its own beginning first.
        const own = meter.barToTick(bar);
        const into = tempo.toFrames(tick) - tempo.toFrames(own) > 0.3 * session.getState().session.rate;
        get().seek(tempo.toFrames(meter.barToTick(Math.max(1, by < 0 && into ? bar : bar + by))));
      },
      solo(tracks) {
        const { soloed } = get();
        hearAlone(
          tracks.every((id) => soloed.has(id))
            ? [...soloed].filter((id) => !tracks.includes(id))
            : [...soloed, ...tracks],
        );
      },
      soloNone: () => hearAlone([]),
      tryOut(edits) {
        const { session: doc, ride } = session.getState();
        if (edits) ride(edits);
        const made = edits ? applyTyped(doc, { label: "", edits: [...edits] }) : null;
        player?.take(made?.ok ? made.value.session : doc, get().soloed);
      },
      mark(stretch) {
        set({ stretch, looping: get().looping && stretch !== null });
        player?.setLoop(get().looping ? stretch : null);
      },
      loop(on) {
        const looping = on && get().stretch !== null;
        set({ looping });
        player?.setLoop(looping ? get().stretch : null);
      },
      position: () => player?.position ?? 0,
      peaks: (into) => player?.peaks(into),
      loudness: () => player?.loudness ?? -Infinity,
      watch: (device) => player?.watch(device),
      audition: null,
      hearInstead(audition) {
        if (audition === get().audition) return;
        set({ audition });
        player?.take(audition ?? session.getState().session, get().soloed);
      },
      metered: null,
      loggedOf: null,
      log: newLog(),
      measure(track) {
        if (track === get().metered) return;
        const isOther = track !== null && track !== get().loggedOf;
        set({ metered: track, ...(isOther ? { loggedOf: track, log: newLog() } : {}) });
        player?.measure(track);
      },
      heldBackDb: () => player?.heldBackDb ?? 0,
      connect() {
        const made = makePlayer(session, notices, { get, set }, keeping);
        player = made;
        const leave = keepTold(made, session, { get, set });
        return () => {
          leave();
          made.close();
          if (player === made) player = null;
          set({ state: "stopped" });
        };
      },
    };
  });
}

interface Access {
  get(): Playback;
  set(part: Partial<Playback>): void;
}

/** A player whose news go into the store; where playing does not keep up, it is said once, with what would help. */
function makePlayer(
  session: SessionStoreApi,
  notices: PlaybackNotices,
  { get, set }: Access,
  keeping: KeepingUp,
): Player {
  const weigh = () => {
    if (get().relief.length > 0) return;
    const relief = keeping.relief(session.getState().session, performance.now());
    if (relief.length === 0) return;
    set({ relief });
    notices.behind();
  };
  return new Player(session.getState().session, get().soloed, {
    state: (state) => set({ state }),
    ready: () => set({ ready: true }),
    load: (loads) => {
      keeping.report(loads);
      weigh();
    },
    loudness: (step) => {
      if (step.track === get().metered) get().log.take(step);
    },
    missed: (frames) => {
      keeping.missed(frames, performance.now());
      set({ missed: get().missed + frames });
      weigh();
    },
    failed: notices.failed,
  });
}

/** Tells a player what is edited, gets it ready, and stops it when all has rung out; ends with what it gives. */
function keepTold(player: Player, session: SessionStoreApi, { get, set }: Access): () => void {
  const { metered } = get();
  if (metered !== null) player.measure(metered);
  const leave = session.subscribe(({ session: doc }, before) => {
    if (doc === before.session) return;
    const soloed = stillThere(doc, get().soloed);
    if (soloed !== get().soloed) set({ soloed });
    player.take(get().audition ?? doc, soloed);
  });
  const rest = whenHandsRest(() => player.warm());
  // Browsers open no sound card before the first touch.
  const touched = () => player.touch();
  addEventListener("pointerdown", touched, { once: true });
  addEventListener("keydown", touched, { once: true });
  const look = setInterval(() => {
    const { state, looping } = get();
    if (state !== "playing" || looping) return;
    if (player.position > clockOf(session.getState().session).end && player.loudness < RUNG_OUT) player.stop();
  }, LOOK_EVERY_MS);
  return () => {
    leave();
    rest();
    clearInterval(look);
    removeEventListener("pointerdown", touched);
    removeEventListener("keydown", touched);
  };
}

/**
 * Does something once, when nothing has been pressed for a while: it does not compete with a page that is being drawn,
 * nor with quick presses. Ends with what it gives.
 */
function whenHandsRest(done: () => void): () => void {
  let timer: ReturnType<typeof setTimeout>;
  const wait = () => {
    clearTimeout(timer);
    timer = setTimeout(() => {
      leave();
      done();
    }, WARM_AFTER_MS);
  };
  const leave = () => {
    clearTimeout(timer);
    for (const kind of HANDS) removeEventListener(kind, wait);
  };
  for (const kind of HANDS) addEventListener(kind, wait);
  wait();
  return leave;
}
const HANDS = ["pointerdown", "pointerup", "keydown"] as const;

/** Those of some tracks that a session has; the same set where it has all. */
function stillThere({ tracks }: Session, ids: ReadonlySet<string>): ReadonlySet<string> {
  const here = new Set(tracks.map((t) => t.id));
  return [...ids].every((id) => here.has(id)) ? ids : new Set([...ids].filter((id) => here.has(id)));
}

export type PlaybackStoreApi = ReturnType<typeof createPlaybackStore>;
