import type { Controls, DeviceDeclaration, Processor } from "../devices/device";
import { QUANTUM } from "../devices/device";
import type { Track } from "../session/document";
import type { Frames } from "../units";
import type { Arena } from "../kernels/arena";
import { BrokenDevice } from "./library";
import type { Channel } from "./channel";
import type { Delay } from "./delay";
import type { Source } from "./source";
import type { Doubles, Floats } from "../kernels/kernels";

/** A stereo signal at one point of the graph, and whether the current block of it is all zeros. */
export class Signal {
  readonly left: Floats;
  readonly right: Floats;
  silent = true;

  constructor(arena: Arena, maxFrames: Frames) {
    this.left = arena.float32(maxFrames);
    this.right = arena.float32(maxFrames);
  }
}

/** One signal flowing into a sum, at a gain, held back so that everything there arrives together. */
export interface Inflow {
  readonly from: Signal;
  gain: number;
  readonly delay: Delay | null;
  /** Part of the arena that holds the delay; null where there is none. */
  readonly part: string | null;
  /** Of all that arrives at the sum. */
  readonly latency: Frames;
  /** Moves the gain, by frames of the timeline at the sum; null where it rests. */
  gainAt: ((frame: Frames) => number) | null;
  /** The send that it is, where it is one. */
  readonly send: { readonly track: string; readonly id: string } | null;
}

export interface DeviceSlot {
  readonly declaration: DeviceDeclaration;
  /** Id of the device in the session. */
  readonly device: string;
  readonly processor: Processor;
  /** Latency of the signal that reaches the device, in frames. */
  readonly latency: Frames;
  /** Holds the track's own signal back where the key arrives later. */
  readonly wait: Delay | null;
  readonly key: Inflow | null;
  /**
   * Fills the device's latency up to whole quanta, so that every quantum everywhere starts on the timeline's own grid
   * of them.
   */
  readonly pad: Delay | null;
  readonly controls: Controls;
  /** May not be skipped while it rests: another processor reads its gains. */
  awake: boolean;
  /** A copy of what runs into the device, where a tap listens to it. */
  before: Signal | null;
}

/** The beginning of a sum, in double precision. */
export class BegunSum {
  readonly left: Doubles;
  readonly right: Doubles;
  silent = true;

  constructor(arena: Arena, maxFrames: Frames) {
    this.left = arena.float64(maxFrames);
    this.right = arena.float64(maxFrames);
  }
}

/** Double-precision sums shared by all nodes, which work one after another. */
export class SumBuffers {
  private readonly left: Doubles;
  private readonly right: Doubles;

  constructor(
    private readonly arena: Arena,
    maxFrames: Frames,
  ) {
    this.left = arena.float64(maxFrames);
    this.right = arena.float64(maxFrames);
  }

  /**
   * Sums inflows in their order into `target` for the block at engine clock `clock`; an empty or silent sum is exact
   * zeros.
   */
  into(target: Signal, inflows: readonly Inflow[], clock: Frames, frames: Frames, begun: BegunSum | null = null): void {
    if (begun && !begun.silent) {
      this.left.set(begun.left);
      this.right.set(begun.right);
    }
    target.silent = this.add(inflows, clock, frames, begun?.silent ?? true);
    if (target.silent) {
      target.left.fill(0, 0, frames);
      target.right.fill(0, 0, frames);
    } else {
      const { fromSum } = this.arena.kernels;
      fromSum(target.left.address, this.left.address, frames);
      fromSum(target.right.address, this.right.address, frames);
    }
  }

  /** Sums inflows for another thread, which adds the later ones. */
  begin(sum: BegunSum, inflows: readonly Inflow[], clock: Frames, frames: Frames): void {
    sum.silent = this.add(inflows, clock, frames, true);
    if (sum.silent) return;
    sum.left.set(this.left);
    sum.right.set(this.right);
  }

  /**
   * Adds inflows to the sum, which nothing has reached yet if it is silent `before`; returns whether nothing has then.
   */
  private add(inflows: readonly Inflow[], clock: Frames, frames: Frames, before: boolean): boolean {
    const { addTo } = this.arena.kernels;
    const left = this.left.address;
    const right = this.right.address;
    let silent = before;
    for (const inflow of inflows) {
      const { from, gain, delay, gainAt } = inflow;
      const quiet = delay ? delay.push(from.left, from.right, frames, from.silent) : from.silent;
      if (gainAt && !quiet) {
        if (silent) this.clear(frames);
        this.addRidden(delay ?? from, gainAt, clock - inflow.latency, frames);
        silent = false;
        continue;
      }
      if (quiet || gain === 0) continue;
      addTo(left, (delay ?? from).left.address, gain, silent ? 1 : 0, frames);
      addTo(right, (delay ?? from).right.address, gain, silent ? 1 : 0, frames);
      silent = false;
    }
    return silent;
  }

  private clear(frames: Frames): void {
    this.left.fill(0, 0, frames);
    this.right.fill(0, 0, frames);
  }

  private addRidden(
    from: { readonly left: Float32Array; readonly right: Float32Array },
    gainAt: (frame: Frames) => number,
    at: Frames,
    frames: Frames,
  ): void {
    const { left, right } = this;
    for (let q = 0; q < frames; q += QUANTUM) {
      const start = gainAt(Math.max(0, at + q));
      const step = (gainAt(Math.max(0, at + q + QUANTUM)) - start) / QUANTUM;
      for (let i = 0; i < QUANTUM; i++) {
        const gain = start + step * i;
        left[q + i] = (left[q + i] as number) + (from.left[q + i] as number) * gain;
        right[q + i] = (right[q + i] as number) + (from.right[q + i] as number) * gain;
      }
    }
  }
}

/**
 * A track's path at work: source or sum, devices, channel. `share` instances hear only part of what a group or return
 * hears.
 */
export class PathNode {
  /** Latency of the signal after the devices, and of the channel's output. */
  latencyOut: Frames = 0;
  source: Source | null = null;
  inflows: readonly Inflow[] = [];
  /** What another thread has summed of what flows in before the inflows here. */
  begun: BegunSum | null = null;
  slots: readonly DeviceSlot[] = [];
  /** Parts of the arena that hold its state, those of its inflows apart. */
  parts: readonly string[] = [];
  /** A copy of the sum before the devices, where a tap listens to it. */
  input: Signal | null = null;
  readonly body: Signal;
  readonly out: Signal;
  /** Milliseconds of computing so far. */
  spent = 0;

  /** `whole`: the path as it sounds in the session, not a share of it. */
  constructor(
    readonly track: Track,
    readonly whole: boolean,
    readonly channel: Channel,
    private readonly sums: SumBuffers,
    private readonly arena: Arena,
    maxFrames: Frames,
  ) {
    this.body = new Signal(arena, maxFrames);
    this.out = new Signal(arena, maxFrames);
  }

  /** Renders the block that starts at engine clock `clock`. */
  render(clock: Frames, frames: Frames): void {
    const { body, out } = this;
    if (this.source) body.silent = this.source.fill(body.left, body.right, frames, clock);
    else this.sums.into(body, this.inflows, clock, frames, this.begun);
    if (this.input) this.copyTo(this.input, frames);
    for (const slot of this.slots) this.run(slot, clock, frames);
    out.silent = this.channel.process(
      body.left,
      body.right,
      out.left,
      out.right,
      frames,
      clock - this.latencyOut,
      body.silent,
    );
  }

  /** Largest magnitude of the last block as it left the channel. */
  peak(frames: Frames): number {
    const { out } = this;
    return out.silent ? 0 : this.arena.kernels.blockPeak(out.left.address, out.right.address, frames);
  }

  private run(slot: DeviceSlot, clock: Frames, frames: Frames): void {
    this.hold(slot.wait, frames);
    if (slot.before) this.copyTo(slot.before, frames);
    this.process(slot, clock, frames);
    this.hold(slot.pad, frames);
  }

  private copyTo(copy: Signal, frames: Frames): void {
    const { body } = this;
    copy.left.set(body.left.subarray(0, frames));
    copy.right.set(body.right.subarray(0, frames));
    copy.silent = body.silent;
  }

  private hold(delay: Delay | null, frames: Frames): void {
    if (!delay) return;
    const { body } = this;
    body.silent = delay.hold(body.left, body.right, frames, body.silent);
  }

  private process(slot: DeviceSlot, clock: Frames, frames: Frames): void {
    const { body } = this;
    const { processor, key } = slot;
    if (key?.delay) key.delay.push(key.from.left, key.from.right, frames, key.from.silent);
    const instrument = slot.declaration.role === "instrument";
    // Skipping is exact: a resting device given silence would give silence and change nothing in itself.
    if (
      !instrument &&
      !slot.awake &&
      !slot.controls.moving &&
      body.silent &&
      processor.resting &&
      (!key || key.from.silent)
    )
      return;
    processor.process(body.left, body.right, frames, clock - slot.latency, key ? (key.delay ?? key.from) : null);
    const peak = this.arena.kernels.blockPeak(body.left.address, body.right.address, frames);
    if (!(peak < Infinity)) throw new BrokenDevice(this.track.name, slot.declaration.name, clock - slot.latency);
    body.silent = peak === 0;
  }
}
