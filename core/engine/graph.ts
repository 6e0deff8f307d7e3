import type { Controls, DeviceDeclaration, LoadedInstrument, PlayedNote, Processor } from "../devices/device";
import { QUANTUM, completeParams } from "../devices/device";
import { declarationOf } from "../devices/catalogue";
import { dbToGain, pow } from "../math";
import { seedFrom } from "../random";
import type { Device, Session, Track } from "../session/document";
import type { TempoMap } from "../time/tempo";
import { tempoMap } from "../time/tempo";
import type { Frames } from "../units";
import type { Arena } from "../kernels/arena";
import { Latencies, wholeQuanta } from "./latency";
import type { AudioLibrary } from "./library";
import { BrokenDevice, RealTimeOnly } from "./library";
import { LooseControls, controlsOf, trackCurve } from "./automation";
import { Channel } from "./channel";
import { Delay } from "./delay";
import type { DeviceSlot, Inflow } from "./path";
import { PathNode, Signal, SumBuffers } from "./path";
import type { ClipChain } from "./source";
import { clipSource, frozenSource, playedNotes } from "./source";
import type { Tap } from "./tap";
import { tapName } from "./tap";
import type { Wire, WiredPath } from "./wiring";
import { wire } from "./wiring";

/** A compiled session: nodes in an order in which each finds its inputs ready, and one aligned signal a tap. */
export interface Graph {
  /** Its memory, whose named parts hold all that changes while it runs. */
  readonly arena: Arena;
  readonly nodes: readonly PathNode[];
  readonly outlets: readonly Outlet[];
  readonly sums: SumBuffers;
  /** What was at timeline frame n leaves every outlet at engine clock n + latency. */
  readonly latency: Frames;
}

export interface Outlet {
  readonly signal: Signal;
  readonly inflows: readonly Inflow[];
  /** Parts of the arena that hold its state. */
  readonly parts: readonly string[];
}

/** A signal with the latency it carries. */
interface Arrival {
  readonly signal: Signal;
  readonly latency: Frames;
  readonly gain: number;
  readonly gainAt?: ((frame: Frames) => number) | undefined;
  readonly send?: Inflow["send"];
}

export interface GraphOptions {
  readonly library: AudioLibrary;
  readonly maxFrames: Frames;
  /**
   * Notes that ended before this frame are not played: for audition and load, where a render does not start at zero.
   */
  readonly startAt?: Frames;
  /**
   * Nothing placed from this frame on is played, and what still sounds then is let go: the end of a range whose tail is
   * kept.
   */
  readonly endAt?: Frames;
  /** Which pass in real time this is; without it devices that only work in real time are refused. */
  readonly pass?: number;
  /** A person listens and may turn any parameter: see `LooseControls`. */
  readonly loose?: boolean;
  /** Tracks whose paths are wanted beside what the taps need. */
  readonly tracks?: readonly string[];
  /** Outlets are at least this late: renders that share the taps of a pass hand all of them out together. */
  readonly latency?: Frames;
}

/**
 * Compiles what the taps need of a session and nothing else. The session is consistent (no cycles). Throws
 * `MissingAudio` or `RealTimeOnly`.
 */
export function compile(session: Session, taps: readonly Tap[], options: GraphOptions, arena: Arena): Graph {
  return new Compiler(session, options, arena).graph(taps);
}

/** The path of a track as it sounds in the session; the graph was compiled with it. */
export function wholeNode(graph: Graph, track: string): PathNode {
  const node = graph.nodes.find((n) => n.whole && n.track.id === track);
  if (!node) throw new RangeError(`the graph does not hold "${track}"`);
  return node;
}

/** Between the name of a path and that of one of its clips. */
export const IN_CLIP = "/clips";

class Compiler {
  private readonly tempo: TempoMap;
  private readonly sums: SumBuffers;
  private readonly nodes = new Map<WiredPath, PathNode>();
  private readonly latencies: Latencies;

  constructor(
    private readonly session: Session,
    private readonly options: GraphOptions,
    private readonly arena: Arena,
  ) {
    this.tempo = tempoMap(session.tempo, session.rate);
    this.latencies = new Latencies(session);
    this.sums = new SumBuffers(arena, options.maxFrames);
  }

  graph(taps: readonly Tap[]): Graph {
    const { paths, outlets } = wire(this.session, taps, this.options.tracks);
    for (const path of paths) {
      const { made: node, parts } = this.arena.naming(() => this.node(path));
      node.parts = parts.filter((name) => !node.inflows.some((i) => i.part === name));
      this.nodes.set(path, node);
    }
    const arrivals = outlets.map((wires) => wires.map((w) => this.arrival(w)));
    const latency = Math.max(this.options.latency ?? 0, ...arrivals.flat().map((a) => a.latency));
    const names = new Map<string, number>();
    return {
      arena: this.arena,
      nodes: [...this.nodes.values()],
      outlets: arrivals.map((list, i) => {
        const name = tapName(taps[i] as Tap);
        const turn = names.get(name) ?? 0;
        names.set(name, turn + 1);
        const signal = new Signal(this.arena, this.options.maxFrames);
        const { made: inflows, parts } = this.arena.naming(() =>
          list.map((a, k) => this.inflow(a, latency, `tap ${name}${turn === 0 ? "" : ` ${turn}`}/in ${k}`)),
        );
        return { signal, inflows, parts };
      }),
      sums: this.sums,
      latency,
    };
  }

  private nodeOf(path: WiredPath): PathNode {
    const node = this.nodes.get(path);
    if (!node) throw new RangeError(`"${path.track.name}" is listened to before it is there`);
    return node;
  }

  private arrival(wire: Wire): Arrival {
    const { from, port, device, send } = wire;
    const node = this.nodeOf(from);
    const latency = this.latencies.at(wire);
    const at = send
      ? {
          latency,
          gain: dbToGain(send.gainDb),
          gainAt: this.rideOf(from.track, send.id),
          send: { track: from.track.id, id: send.id },
        }
      : { latency, gain: 1 };
    switch (port) {
      case "input":
        node.input ??= new Signal(this.arena, this.options.maxFrames);
        return { signal: node.input, ...at };
      case "device": {
        const slot = node.slots.find((s) => s.device === device);
        if (!slot) throw new RangeError(`"${from.track.name}" does not run device ${device ?? ""}`);
        slot.before ??= new Signal(this.arena, this.options.maxFrames);
        return { signal: slot.before, ...at };
      }
      case "body":
        return { signal: node.body, ...at };
      case "out":
        return { signal: node.out, ...at };
    }
  }

  private node(path: WiredPath): PathNode {
    const { arena, options, session } = this;
    const { track } = path;
    const arrivals = path.inflows.map((w) => this.arrival(w));
    const node = new PathNode(
      track,
      path.whole,
      new Channel(track, this.tempo, arena),
      this.sums,
      arena,
      options.maxFrames,
    );
    const late = this.latencies.of(path);
    node.latencyOut = late.out;
    node.inflows = arrivals.map((a, i) => this.inflow(a, late.in, `${path.name}/in ${i}`));
    if (track.frozen) {
      node.source = frozenSource(options.library(track.frozen.asset), options.endAt);
      return node;
    }
    if (track.kind === "audio") {
      node.source = clipSource(track.clips, {
        arena,
        library: options.library,
        maxFrames: options.maxFrames,
        place: `${path.name}${IN_CLIP}`,
        process: (devices, place) => this.arena.within(place, () => this.clipChain(devices, track)),
        ...(options.startAt === undefined ? {} : { startAt: options.startAt }),
        ...(options.endAt === undefined ? {} : { endAt: options.endAt }),
      });
    }
    const notes =
      track.kind === "instrument" ? playedNotes(session, track, this.tempo, options.startAt, options.endAt) : [];
    let latency = late.in;
    const slots: DeviceSlot[] = [];
    for (const device of track.devices) {
      const slot = this.slot(device, path, latency, notes, slots.length);
      if (!slot) continue;
      slots.push(slot);
      latency = wholeQuanta(
        slot.latency + slot.declaration.latency(completeParams(slot.declaration, device.params), session.rate),
      );
    }
    node.slots = slots;
    return node;
  }

  private rideOf(track: Track, send: string): ((frame: Frames) => number) | undefined {
    const curve = trackCurve(track, "send", this.tempo, send);
    return curve ? (frame) => dbToGain(curve(frame)) : undefined;
  }

  private slot(
    device: Device,
    path: WiredPath,
    latencyHere: Frames,
    notes: readonly PlayedNote[],
    place: number,
  ): DeviceSlot | null {
    const { name, track, keys, leader } = path;
    const declaration = declarationOf(device.type);
    // An absent effect passes audio, an absent instrument is silent: in both cases there is nothing to run.
    if (!declaration || !device.on) return null;
    const { arena, options, session } = this;
    const leading =
      leader && declaration.dynamics ? this.nodeOf(leader).slots.find((s) => s.device === device.id) : undefined;
    if (leading) leading.awake = true;
    const steering = keys.get(device.id);
    const keyNode = steering ? this.nodeOf(steering) : null;
    const latency = this.latencies.of(path).slots.get(device.id) ?? latencyHere;
    const own = declaration.latency(completeParams(declaration, device.params), session.rate);
    const controls = options.loose
      ? new LooseControls(device, declaration, track, this.tempo)
      : controlsOf(device, declaration, track, this.tempo);
    // By its place: of two that are set alike, each has its own state, and nothing else tells which stands first.
    const part = `${name}/device ${place}`;
    const key = keyNode && { signal: keyNode.body, latency: keyNode.latencyOut, gain: 1 };
    return {
      controls,
      declaration,
      device: device.id,
      latency,
      wait: latency > latencyHere ? this.delay(latency - latencyHere, `${part}/wait`) : null,
      key: key && this.inflow(key, latency, `${part}/key`),
      pad: own % QUANTUM === 0 ? null : this.delay(wholeQuanta(own) - own, `${part}/pad`),
      awake: false,
      before: null,
      processor: arena.within(part, () =>
        this.processor(device, declaration, controls, track, notes, leading?.processor ?? null),
      ),
    };
  }

  private processor(
    device: Device,
    declaration: DeviceDeclaration,
    controls: Controls,
    track: Track,
    notes: readonly PlayedNote[],
    leader: Processor | null,
    maxFrames = this.options.maxFrames,
  ): Processor {
    const { arena, options, session } = this;
    if (declaration.realTime && options.pass === undefined) throw new RealTimeOnly(track.name, declaration.name);
    return declaration.create({
      rate: session.rate,
      arena,
      maxFrames,
      controls,
      tempo: this.tempo,
      layers: device.layers.map((layer) => {
        const audio = options.library(layer.asset);
        const rate = session.assets.find((a) => a.id === layer.asset)?.rate ?? session.rate;
        return {
          pad: layer.pad,
          asset: layer.asset,
          audio,
          step: (pow(2, layer.cents / 1200) * rate) / session.rate,
          gain: dbToGain(layer.gainDb),
          softest: layer.softest,
          loudest: layer.loudest,
        };
      }),
      instrument: this.loaded(device),
      leader,
      pass: options.pass ?? null,
      seed: seedFrom(device.id),
      notes: declaration.role === "instrument" ? notes : [],
    });
  }

  /** What a device plays of the session's instruments. */
  private loaded({ instrument: id }: Device): LoadedInstrument | null {
    const { options, session } = this;
    const instrument = id === null ? undefined : session.instruments.find((i) => i.id === id);
    if (!instrument) return null;
    const rates = new Map(session.assets.map((a) => [a.id, a.rate]));
    return {
      instrument,
      open: (sample) => ({ audio: options.library(sample), rate: rates.get(sample) ?? session.rate }),
    };
  }

  private clipChain(devices: readonly Device[], track: Track): ClipChain {
    const { arena, session } = this;
    const running = devices.flatMap((device) => {
      const declaration = declarationOf(device.type);
      if (!declaration || !device.on) return [];
      const params = completeParams(declaration, device.params);
      const latency = declaration.latency(params, session.rate);
      return [
        {
          latency,
          tail: declaration.tail(params, session.rate),
          processor: this.processor(
            device,
            declaration,
            controlsOf(device, declaration, null, this.tempo),
            track,
            [],
            null,
            QUANTUM,
          ),
          name: declaration.name,
        },
      ];
    });
    const cursor = { fed: 0 };
    arena.keeps(
      () => [cursor.fed],
      ([fed = 0]) => {
        cursor.fed = fed;
      },
    );
    return {
      cursor,
      latency: running.reduce((sum, r) => sum + r.latency, 0),
      tail: Math.min(
        LONGEST_RING_S * session.rate,
        running.reduce((sum, r) => sum + r.tail, 0),
      ),
      left: arena.float32(QUANTUM),
      right: arena.float32(QUANTUM),
      run(left, right, at) {
        let entered = at;
        for (const { processor, latency, name } of running) {
          processor.process(left, right, QUANTUM, entered, null);
          const peak = arena.kernels.blockPeak(left.address, right.address, QUANTUM);
          if (!(peak < Infinity)) throw new BrokenDevice(track.name, name, entered);
          entered -= latency;
        }
      },
    };
  }

  private delay(frames: Frames, name: string): Delay {
    return this.arena.within(name, () => new Delay(frames, this.arena, this.options.maxFrames));
  }

  /** `name`: of what it holds back, in the arena. */
  private inflow({ signal, latency, gain, gainAt, send = null }: Arrival, target: Frames, name: string): Inflow {
    return {
      from: signal,
      gain,
      latency: target,
      ...(target > latency ? { delay: this.delay(target - latency, name), part: name } : { delay: null, part: null }),
      gainAt: gainAt ?? null,
      send,
    };
  }
}

/** As long as the longest tail of a pass is waited for. */
const LONGEST_RING_S = 60;
