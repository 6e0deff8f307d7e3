import { declarationOf } from "../devices/catalogue";
import { QUANTUM, completeParams } from "../devices/device";
import { dbToGain } from "../math";
import type { Device, Session, Track } from "../session/document";
import { asHeard } from "../session/solo";
import { tempoMap } from "../time/tempo";
import type { Db, Frames, Seconds } from "../units";
import { Arena } from "../kernels/arena";
import type { AudioLibrary } from "./library";
import { GLIDE, LooseControls } from "./automation";
import { type Checkpoint, checkpointOf, resume } from "./checkpoint";
import type { Graph } from "./graph";
import { compile } from "./graph";
import type { Inflow, PathNode } from "./path";
import type { Sink } from "./render";
import { renderBlock, spentByTrack } from "./render";
import { playedNotes } from "./source";

/** What has to ring before a place in the middle of the session sounds right to the ear. */
export const PREROLL_S: Seconds = 2;
/** Notes that are held into the pre-roll begin where they are written, up to this long before it. */
const HELD_S: Seconds = 12;

export interface LiveOptions {
  readonly session: Session;
  readonly soloed: ReadonlySet<string>;
  readonly library: AudioLibrary;
  /** First timeline frame that is given. */
  readonly at: Frames;
  /** Frames of a block: a whole number of quanta. */
  readonly blockFrames: Frames;
  /** Numbers the playbacks, for devices that never sound the same twice. */
  readonly pass: number;
  /** A millisecond clock, for the load. */
  readonly now: () => number;
  /**
   * What comes before the first frame: a little of it, all from the session's zero, or what lies behind a checkpoint
   * of this mix, or of one that sounds the same up to there.
   */
  readonly begin?: "pre-roll" | "zero" | Checkpoint;
  /** From `compileLive`, for this session, and not used before; else one is compiled. A pre-roll has its own. */
  readonly graph?: Graph | undefined;
}

/** What a mix that begins at zero or with a checkpoint renders with: compiled ahead, it begins sooner. */
export const compileLive = (
  session: Session,
  {
    library,
    blockFrames,
    pass,
    startAt = 0,
  }: Pick<LiveOptions, "library" | "blockFrames" | "pass"> & {
    readonly startAt?: Frames;
  },
): Graph =>
  Arena.for((arena) =>
    compile(
      session,
      [{ kind: "mix", at: "after its chain" }],
      { library, maxFrames: blockFrames, loose: true, pass, ...(startAt > 0 ? { startAt } : {}) },
      arena,
    ),
  );

/**
 * The mix while a person listens: from any frame on, and changed by hand while it plays. From the session's zero, or
 * from a checkpoint, it gives what a print of the mix has, bit for bit, as long as nothing is touched.
 *
 * Making one throws `MissingAudio`, and `CheckpointMisfit` where the checkpoint is of another graph.
 */
export class LiveMix {
  private readonly graph: Graph;
  private readonly block: Frames;
  private readonly now: () => number;
  /** In the order of the session's tracks; null where a track has no path. */
  private readonly paths: readonly (PathNode | null)[];
  private readonly sends: readonly LiveSend[];
  private clock: Frames;
  /** Where everything is rendered from; before it, only the paths on which a note is held. */
  private readonly allFrom: Frames;
  private readonly holding: readonly PathNode[];
  private tracks: ReadonlyMap<string, Track>;
  private soloed: ReadonlySet<string>;
  private shut: ReadonlySet<string>;
  /** Next timeline frame to be given. */
  at: Frames;
  /** Whether everything that is given is what a print has. */
  isExact: boolean;

  constructor(options: LiveOptions) {
    const { session, soloed, at, blockFrames, now, begin = "pre-roll" } = options;
    this.block = blockFrames;
    this.now = now;
    this.at = at;
    const preRoll = Math.floor(Math.max(0, at - PREROLL_S * session.rate) / blockFrames) * blockFrames;
    const startAt = (this.allFrom = begin === "pre-roll" ? preRoll : 0);
    const held = heldNotes(session, startAt);
    const earliest = Math.max(0, startAt - HELD_S * session.rate, Math.min(startAt, ...held.values()));
    this.clock = Math.floor(earliest / blockFrames) * blockFrames;
    const ahead = startAt === 0 ? options.graph : undefined;
    this.graph = ahead ?? compileLive(session, { ...options, startAt });
    if (typeof begin === "object") {
      resume(this.graph, begin, blockFrames);
      this.clock = begin.clock;
    }
    this.paths = session.tracks.map((t) => this.graph.nodes.find((n) => n.track.id === t.id) ?? null);
    this.holding = this.graph.nodes.filter((n) => held.has(n.track.id));
    this.tracks = new Map(session.tracks.map((t) => [t.id, t]));
    this.sends = this.graph.nodes
      .flatMap((n) => n.inflows)
      .flatMap((inflow) => {
        const { send } = inflow;
        const level = send && this.tracks.get(send.track)?.sends.find((s) => s.id === send.id)?.gainDb;
        return send && level !== undefined && level !== null ? [new LiveSend(inflow, send, level)] : [];
      });
    this.soloed = soloed;
    this.shut = shutBySolo(session, soloed);
    for (const { channel, track } of this.graph.nodes) if (this.shut.has(track.id)) channel.put(track, true, null);
    for (const send of this.sends) if (this.shut.has(send.track)) send.shutNow();
    this.isExact = startAt === 0 && this.shut.size === 0;
  }

  /** Everything it remembers now; null where that is not what a print would remember here. */
  checkpoint(): Checkpoint | null {
    return this.isExact ? checkpointOf(this.graph, this.clock, this.block) : null;
  }

  /** Whether what is rendered now lies before the first frame wanted. */
  get warmingUp(): boolean {
    return this.clock - this.graph.latency + this.block <= this.at;
  }

  /** Frames that have gone through it. */
  get frames(): Frames {
    return this.clock;
  }

  /** Timeline frame that the next block begins with, as it is given. */
  get gives(): Frames {
    return this.clock - this.graph.latency;
  }

  /** The stretch of the timeline whose audio the next block reads. */
  get reads(): { readonly from: Frames; readonly to: Frames } {
    return { from: this.clock, to: this.clock + this.block };
  }

  /**
   * Renders the next block; `give` gets what of it lies at or after the first frame wanted. Throws what a render
   * throws.
   */
  render(give: Sink): void {
    const { graph, block } = this;
    if (this.clock < this.allFrom) {
      for (const node of this.holding) node.render(this.clock, block);
      this.clock += block;
      return;
    }
    renderBlock(graph, this.clock, block, this.now);
    const start = this.clock - graph.latency;
    this.clock += block;
    const [outlet] = graph.outlets;
    const skip = Math.max(0, this.at - start);
    if (outlet && skip < block) {
      give(outlet.signal.left, outlet.signal.right, skip, block - skip);
      this.at = start + block;
    }
    for (const send of this.sends) send.arrive(this.clock);
  }

  /**
   * Takes a session that differs from the one that plays in levels only (`levelChanges`), and what is soloed now;
   * everything glides there.
   */
  change(session: Session, soloed: ReadonlySet<string>): void {
    const before = this.tracks;
    const wasShut = this.shut;
    this.tracks = new Map(session.tracks.map((t) => [t.id, t]));
    // Whom a solo shuts hangs on the routing, which stays as it is.
    if (soloed !== this.soloed) this.shut = shutBySolo(session, soloed);
    this.soloed = soloed;
    for (const {
      channel,
      slots,
      latencyOut,
      track: { id },
    } of this.graph.nodes) {
      const [was, now] = [before.get(id), this.tracks.get(id)];
      if (!was || !now) continue;
      const shut = this.shut.has(id);
      if (shut !== wasShut.has(id) || was.faderDb !== now.faderDb || was.pan !== now.pan || was.mute !== now.mute) {
        channel.put(now, shut, this.clock - latencyOut);
        this.isExact = false;
      }
      if (was.devices === now.devices) continue;
      this.isExact = false;
      for (const { controls, device } of slots)
        if (controls instanceof LooseControls) turn(controls, was.devices, now.devices, device);
    }
    for (const send of this.sends) {
      const level = this.tracks.get(send.track)?.sends.find((s) => s.id === send.id)?.gainDb;
      if (level !== undefined && send.aim(this.shut.has(send.track) ? null : level, this.clock)) this.isExact = false;
    }
  }

  /**
   * Raises each number to the peak of a track's path in the last block, as it leaves its fader; in the order of the
   * session's tracks.
   */
  levels(into: Float32Array): void {
    this.paths.forEach((path, i) => {
      if (path) into[i] = Math.max(into[i] as number, path.peak(this.block));
    });
  }

  /** Gives the last block of a track as it left its fader; nothing of one that has no path. */
  hear(track: string, give: Sink): void {
    const path = this.graph.nodes.find((n) => n.whole && n.track.id === track);
    if (path) give(path.out.left, path.out.right, 0, this.block);
  }

  /**
   * How far a device holds back what passes it, as of the last block; 0 for one that does not, or is not in any path
   * that sounds.
   */
  heldBackDb(device: string): Db {
    for (const { whole, slots } of this.graph.nodes) {
      if (!whole) continue;
      for (const slot of slots) if (slot.device === device) return slot.processor.heldBackDb ?? 0;
    }
    return 0;
  }

  /** Milliseconds of computing so far, by track. */
  spent(): ReadonlyMap<string, number> {
    return spentByTrack(this.graph);
  }
}

/** By track, where the first note begins that still sounds at a frame. */
function heldNotes(session: Session, at: Frames): ReadonlyMap<string, Frames> {
  const tempo = tempoMap(session.tempo, session.rate);
  const held = new Map<string, Frames>();
  for (const track of session.tracks) {
    if (track.kind !== "instrument" || track.parked || track.frozen) continue;
    const starts = playedNotes(session, track, tempo, at)
      .map((n) => n.start)
      .filter((start) => start < at);
    if (starts.length > 0) held.set(track.id, Math.min(...starts));
  }
  return held;
}

/** A send whose level may be turned while it plays. */
class LiveSend {
  readonly track: string;
  readonly id: string;
  /** What moves it by itself. */
  private readonly lane: Inflow["gainAt"];
  private target: Db | null;
  private end: Frames | null = null;

  constructor(
    private readonly inflow: Inflow,
    { track, id }: NonNullable<Inflow["send"]>,
    levelDb: Db,
  ) {
    this.track = track;
    this.id = id;
    this.lane = inflow.gainAt;
    this.target = levelDb;
  }

  shutNow(): void {
    this.target = null;
    this.inflow.gain = 0;
    this.inflow.gainAt = null;
  }

  /** Glides to a level, or to silence; false where it is there already. `clock` is the engine's. */
  aim(levelDb: Db | null, clock: Frames): boolean {
    const { inflow, lane } = this;
    if (levelDb === this.target) return false;
    const start = Math.ceil((clock - inflow.latency) / QUANTUM) * QUANTUM;
    const from = inflow.gainAt ? inflow.gainAt(Math.max(0, start)) : inflow.gain;
    const gain = levelDb === null ? 0 : dbToGain(levelDb);
    const goal = levelDb === null ? null : lane;
    this.target = levelDb;
    this.end = start + GLIDE;
    inflow.gain = gain;
    inflow.gainAt = (frame) => {
      const x = Math.max(0, Math.min(1, (frame - start) / GLIDE));
      return from + ((goal ? goal(frame) : gain) - from) * x;
    };
    return true;
  }

  arrive(clock: Frames): void {
    const { inflow, end } = this;
    if (end === null || clock - inflow.latency < end) return;
    this.end = null;
    inflow.gainAt = this.target === null ? null : this.lane;
  }
}

function turn(controls: LooseControls, was: readonly Device[], now: readonly Device[], id: string): void {
  const [a, b] = [was.find((d) => d.id === id), now.find((d) => d.id === id)];
  const declaration = a && declarationOf(a.type);
  if (!a || !b || a.params === b.params || !declaration) return;
  const [before, after] = [completeParams(declaration, a.params), completeParams(declaration, b.params)];
  for (const { id: param } of declaration.params)
    if (before[param] !== after[param]) controls.put(param, after[param] as number);
}

/** Tracks that make sound and are not heard because others are soloed. */
function shutBySolo(session: Session, soloed: ReadonlySet<string>): ReadonlySet<string> {
  const heard = asHeard(session, soloed);
  return new Set(heard.tracks.filter((t, i) => t !== session.tracks[i]).map((t) => t.id));
}
