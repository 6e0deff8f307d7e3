import { declarationOf } from "../devices/catalogue";
import type { Send, Session, Track } from "../session/document";
import { isInside, mixOf, routedInto, summedIn, trackOf } from "../session/routing";
import type { Tap } from "./tap";
import { tapName } from "./tap";

/**
 * A point of a path: what runs into its devices, what runs into one of them, what leaves them, what leaves its channel.
 */
export type Port = "input" | "device" | "body" | "out";

/** A signal on its way from one path to another, or to a tap. */
export interface Wire {
  readonly from: WiredPath;
  readonly port: Port;
  /** Into which device, where it is the signal in front of one. */
  readonly device: string | null;
  /** The send that it is, where it is one. */
  readonly send: Send | null;
}

/** A track's path with all that it listens to. */
export interface WiredPath {
  /** No other path of the same wiring has it. */
  readonly name: string;
  readonly track: Track;
  /** The path as it sounds in the session, not the part of a group or return that one stem hears. */
  readonly whole: boolean;
  /** What is summed in front of a group, a return or the mix, in track order. */
  readonly inflows: readonly Wire[];
  /** The whole path that steers a device, by the device's id. */
  readonly keys: ReadonlyMap<string, WiredPath>;
  /** The whole path whose dynamics say what gain the dynamics of this part apply. */
  readonly leader: WiredPath | null;
}

/** Which paths some taps need of a session, and what runs where. */
export interface Wiring {
  /** In an order in which each finds what it listens to before itself. */
  readonly paths: readonly WiredPath[];
  /** What each tap sums. */
  readonly outlets: readonly (readonly Wire[])[];
}

/**
 * Wires what the taps need of a session and nothing else. Code that computes sound, divides it between threads or asks
 * what can change it uses this: there is no second answer to what a tap hears. `tracks`: whole paths wanted beside
 * those. The session is consistent (no cycles).
 */
export const wire = (session: Session, taps: readonly Tap[], tracks: readonly string[] = []): Wiring =>
  new Wirer(session).wiring(taps, tracks);

/** Whether a track sums others. */
export const isSum = (track: Track): boolean =>
  track.kind === "group" || track.kind === "return" || track.kind === "mix";

/** Part of a session's sound: the tracks a stem is made of, and whether their returns belong to it. */
interface Share {
  readonly id: string;
  readonly sources: ReadonlySet<string>;
  readonly returns: boolean;
  readonly linked: boolean;
}

class Wirer {
  private readonly paths: WiredPath[] = [];
  private readonly built = new Map<string, WiredPath | null>();
  private readonly active: readonly Track[];

  constructor(private readonly session: Session) {
    this.active = session.tracks.filter((t) => !t.parked);
  }

  wiring(taps: readonly Tap[], tracks: readonly string[]): Wiring {
    const outlets = taps.map((tap) => this.outlet(tap));
    for (const id of tracks) this.whole(this.track(id));
    return { paths: this.paths, outlets };
  }

  private outlet(tap: Tap): readonly Wire[] {
    const mix = mixOf(this.session);
    if (tap.kind === "mix") return [from(this.whole(mix), tap.at === "after its chain" ? "out" : "input")];
    if (tap.kind === "device") return [this.before(this.track(tap.track), tap.device)];
    const chosen = new Set(tap.sources);
    // A track inside a chosen group is in that group's sound already. What is named twice is there once.
    const sources = [...chosen]
      .map((s) => this.track(s))
      .filter((t) => !t.parked && !isInside(this.session, t, chosen));
    if (tap.at === "clip") return sources.map((t) => from(this.whole(t), "input"));
    if (tap.at === "devices") return sources.map((t) => from(this.whole(t), "body"));
    const share: Share = {
      id: tapName(tap),
      sources: new Set(sources.map((t) => t.id)),
      returns: tap.returns,
      linked: tap.linked,
    };
    const heard = (tracks: readonly Track[]) =>
      tracks.flatMap((t) => this.part(t, share) ?? []).map((path) => from(path, "out"));
    if (tap.at === "mix") return heard([mix]);
    if (tap.at === "group") return heard(routedInto(this.session, mix.id).filter((t) => !t.parked));
    const returns = tap.returns ? this.active.filter((t) => t.kind === "return" && !share.sources.has(t.id)) : [];
    return [...sources.map((t) => from(this.whole(t), "out")), ...heard(returns)];
  }

  /** In front of a device; of one that is not running, in front of the next that is. */
  private before(track: Track, device: string): Wire {
    const path = this.whole(track);
    const running = (d: Track["devices"][number]) => d.on && declarationOf(d.type) !== undefined;
    const at = track.devices.findIndex((d) => d.id === device);
    if (at < 0) throw new RangeError(`"${track.name}" has no device ${device}`);
    const next = track.devices.slice(at).find(running);
    if (!next || track.frozen) return from(path, "body");
    const first = track.devices.find(running) === next && track.kind !== "instrument";
    return first ? from(path, "input") : { ...from(path, "device"), device: next.id };
  }

  private track(id: string): Track {
    return trackOf(this.session, id);
  }

  /** The path as it sounds in the session. */
  private whole(track: Track): WiredPath {
    const path = this.build(track, null);
    if (!path) throw new RangeError(`"${track.name}" has no path`);
    return path;
  }

  /**
   * The path as a share hears it: a source itself, or a group or return fed by the share alone; null where nothing of
   * the share passes.
   */
  private part(track: Track, share: Share): WiredPath | null {
    if (share.sources.has(track.id)) return this.whole(track);
    const isOnTheWay = track.kind === "group" || track.kind === "mix" || (track.kind === "return" && share.returns);
    return isOnTheWay ? this.build(track, share) : null;
  }

  private build(track: Track, share: Share | null): WiredPath | null {
    const key = share ? `${share.id}/${track.id}` : track.id;
    const known = this.built.get(key);
    if (known !== undefined) return known;
    const inflows = isSum(track) ? this.inflows(track, share) : [];
    const path = share && inflows.length === 0 ? null : this.path(key, track, share, inflows);
    if (path) this.paths.push(path);
    this.built.set(key, path);
    return path;
  }

  private path(name: string, track: Track, share: Share | null, inflows: readonly Wire[]): WiredPath {
    const whole = share === null;
    if (track.frozen) return { name, track, whole, inflows, keys: new Map(), leader: null };
    const isDynamic = (type: string) => declarationOf(type)?.dynamics === true;
    const leader = share?.linked && track.devices.some((d) => d.on && isDynamic(d.type)) ? this.whole(track) : null;
    const keys = new Map<string, WiredPath>();
    for (const device of track.devices) {
      if (!device.on || device.key === null || !declarationOf(device.type) || (leader && isDynamic(device.type)))
        continue;
      const steering = this.track(device.key);
      if (!steering.parked) keys.set(device.id, this.whole(steering));
    }
    return { name, track, whole, inflows, keys, leader };
  }

  /** Everything summed in front of a group, a return or the mix, in track order. */
  private inflows(track: Track, share: Share | null): readonly Wire[] {
    return summedIn(this.session, track.id).flatMap((source): readonly Wire[] => {
      if (source.parked) return [];
      // What stands inside a group that is a source runs on in that group's sound, but what it sends is its own.
      const inside = share !== null && isInside(this.session, source, share.sources);
      const routed = !inside && source.output === track.id;
      const sends = source.sends.filter((s) => s.to === track.id);
      if (!routed && sends.length === 0) return [];
      const path = share && !inside ? this.part(source, share) : this.whole(source);
      if (!path) return [];
      return [
        ...(routed ? [from(path, "out")] : []),
        ...sends.map((send) => from(path, send.position === "before fader" ? "body" : "out", send)),
      ];
    });
  }
}

const from = (path: WiredPath, port: Port, send: Send | null = null): Wire => ({
  from: path,
  port,
  device: null,
  send,
});
