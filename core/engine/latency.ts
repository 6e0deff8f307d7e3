import { declarationOf } from "../devices/catalogue";
import { QUANTUM, completeParams } from "../devices/device";
import type { Session } from "../session/document";
import type { Frames } from "../units";
import type { Tap } from "./tap";
import type { Wire, WiredPath } from "./wiring";
import { wire } from "./wiring";

/** How late the signal of a path is, in frames: where it is summed, in front of each device, and at its end. */
export interface PathLatency {
  readonly in: Frames;
  /** In front of each running device, by its id; a key or leader that arrives later is waited for. */
  readonly slots: ReadonlyMap<string, Frames>;
  readonly out: Frames;
}

/** Latencies of wired paths. */
export class Latencies {
  private readonly known = new Map<WiredPath, PathLatency>();

  constructor(private readonly session: Session) {}

  /** Of the signal that a wire carries. */
  at({ from, port, device }: Wire): Frames {
    const path = this.of(from);
    if (port === "input") return path.in;
    return port === "device" ? (path.slots.get(device ?? "") ?? path.out) : path.out;
  }

  of(path: WiredPath): PathLatency {
    const known = this.known.get(path);
    if (known) return known;
    const found = this.measure(path);
    this.known.set(path, found);
    return found;
  }

  private measure({ track, inflows, keys, leader }: WiredPath): PathLatency {
    const summed = Math.max(0, ...inflows.map((w) => this.at(w)));
    const slots = new Map<string, Frames>();
    if (track.frozen) return { in: summed, slots, out: 0 };
    let latency = summed;
    for (const device of track.devices) {
      const declaration = declarationOf(device.type);
      if (!declaration || !device.on) continue;
      const steering = keys.get(device.id);
      const leading = leader && declaration.dynamics ? this.of(leader).slots.get(device.id) : undefined;
      const here = Math.max(latency, steering ? this.of(steering).out : 0, leading ?? 0);
      slots.set(device.id, here);
      latency = wholeQuanta(here + declaration.latency(completeParams(declaration, device.params), this.session.rate));
    }
    return { in: summed, slots, out: latency };
  }
}

/** Latencies count in whole quanta, so that a quantum of the engine is a quantum of the timeline on every path. */
export const wholeQuanta = (frames: Frames): Frames => Math.ceil(frames / QUANTUM) * QUANTUM;

/** The latency at which a render of these taps hands them out: of the latest of all. */
export function tapLatency(session: Session, taps: readonly Tap[]): Frames {
  const latencies = new Latencies(session);
  return Math.max(
    0,
    ...wire(session, taps)
      .outlets.flat()
      .map((w) => latencies.at(w)),
  );
}
