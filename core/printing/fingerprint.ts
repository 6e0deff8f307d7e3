import { sha256 } from "@noble/hashes/sha2.js";
import { bytesToHex, utf8ToBytes } from "@noble/hashes/utils.js";
import { declarationOf } from "../devices/catalogue";
import { completeParams } from "../devices/device";
import type { Tap } from "../engine/tap";
import { audibleStretches, playedNotes } from "../engine/source";
import { ENGINE_VERSION } from "../engine/version";
import type { Session, Track } from "../session/document";
import { mixOf, trackOf } from "../session/routing";
import type { TempoMap } from "../time/tempo";
import { tempoMap } from "../time/tempo";

/** What a value of JSON looks like; object keys are always written in sorted order. */
type Canonical = null | boolean | number | string | readonly Canonical[] | { readonly [key: string]: Canonical };

/**
 * Hash of everything upstream of a tap that can change its sound: audible parts of clips with the hashes of their audio, notes as
 * played in frames, device parameters, routing, channels before the tap, keys, rate and engine version. Names, solo
 * and anything downstream are not in it. SHA-256, hexadecimal.
 */
export function fingerprint(session: Session, tap: Tap): string {
  return new Upstream(session).tap(tap);
}

/** Fingerprint of a track's live source after its devices, whether or not it is frozen now: what its freeze must match. */
export function sourceFingerprint(session: Session, trackId: string): string {
  return new Upstream(session).source(trackOf(session, trackId));
}

/** A frozen track whose source would render differently today. */
export const isStale = (session: Session, track: Track): boolean =>
  track.frozen !== null && track.frozen.fingerprint !== sourceFingerprint(session, track.id);

/** The sources of a tap, and the groups and returns their sound passes on its way. */
interface Share {
  readonly sources: ReadonlySet<string>;
  readonly carriers: ReadonlySet<string>;
}

function shareOf(session: Session, { sources, returns }: Extract<Tap, { kind: "path" }>): Share {
  const carriers = new Set<string>();
  const pass = (id: string | null) => {
    const track = id === null ? undefined : session.tracks.find((t) => t.id === id);
    if (!track) return;
    if (track.kind === "group" || track.kind === "return") {
      if (carriers.has(track.id)) return;
      carriers.add(track.id);
    }
    pass(track.output);
    if (returns) for (const send of track.sends) pass(send.to);
  };
  for (const id of sources) pass(id);
  return { sources: new Set(sources), carriers };
}

class Upstream {
  private readonly tempo: TempoMap;
  private readonly known = new Map<string, string>();

  constructor(private readonly session: Session) {
    this.tempo = tempoMap(session.tempo, session.rate);
  }

  source(track: Track): string {
    return this.path({ at: "devices", points: [this.live(track, null)], returns: [], above: [] });
  }

  private path(parts: { readonly at: string; readonly points: readonly string[]; readonly returns: readonly string[]; readonly above: readonly string[] }): string {
    return digest({ engine: ENGINE_VERSION, rate: this.session.rate, ...parts });
  }

  tap(tap: Tap): string {
    if (tap.kind === "mix") {
      const mix = mixOf(this.session);
      return digest({ engine: ENGINE_VERSION, rate: this.session.rate, mix: tap.at === "before its chain" ? this.inputs(mix, null) : this.out(mix, null) });
    }
    const share = shareOf(this.session, tap);
    const points = tap.sources.map((id) => {
      const track = trackOf(this.session, id);
      return tap.at === "devices" ? this.body(track, null) : this.out(track, null);
    });
    const carried = this.session.tracks.filter((t) => share.carriers.has(t.id) && !t.parked);
    const returns = tap.returns ? carried.filter((t) => t.kind === "return").map((t) => this.out(t, share)) : [];
    const above = tap.at === "group" ? carried.filter((t) => t.kind === "group").map((t) => this.out(t, share)) : [];
    return this.path({ at: tap.at, points, returns, above });
  }

  /**
   * The path after its devices; with a share, as only those sources sound through it. Frozen audio that is fresh is the sound of its
   * live source, so it counts as that: freezing changes no fingerprint, and a key may be frozen without making stale what it steers.
   */
  private body(track: Track, share: Share | null): string {
    if (track.parked) return digest("parked");
    if (track.frozen && track.frozen.fingerprint !== this.source(track)) return digest({ file: track.frozen.asset });
    return this.live(track, share);
  }

  private live(track: Track, share: Share | null): string {
    return this.remember(`live/${share ? "share/" : ""}${track.id}`, () => ({
      source:
        track.kind === "audio" ? this.audio(track)
        : track.kind === "instrument" ? playedNotes(this.session, track, this.tempo).map((n) => [n.start, n.frames, n.pitch, n.velocity])
        : this.inputs(track, share),
      devices: track.devices.flatMap((device): Canonical[] => {
        const declaration = declarationOf(device.type);
        if (!declaration || !device.on) return [];
        return [{
          type: device.type,
          params: completeParams(declaration, device.params),
          seed: declaration.role === "instrument" ? device.id : null,
          key: device.key === null ? null : this.body(trackOf(this.session, device.key), null),
        }];
      }),
    }));
  }

  private out(track: Track, share: Share | null): string {
    const within = share?.carriers.has(track.id) && !share.sources.has(track.id) ? share : null;
    return this.remember(`out/${within ? "share/" : ""}${track.id}`, () => ({
      body: this.body(track, within),
      fader: track.faderDb,
      pan: track.pan,
      mute: track.mute,
      automation: track.automation.map((lane) => ({
        target: lane.target,
        points: lane.points.map((p) => [this.tempo.toFrames(p.tick), p.value, p.shape]),
      })),
    }));
  }

  private inputs(track: Track, share: Share | null): Canonical {
    return this.session.tracks.flatMap((from): Canonical[] => {
      if (from.parked || (share && !share.sources.has(from.id) && !share.carriers.has(from.id))) return [];
      return [
        ...(from.output === track.id ? [this.out(from, share)] : []),
        ...from.sends.filter((s) => s.to === track.id).map((s) => ({
          gain: s.gainDb,
          from: s.position === "before fader" ? this.body(from, null) : this.out(from, share),
        })),
      ];
    });
  }

  private audio(track: Track): Canonical {
    return audibleStretches(track).map(({ from, to, clip }) => ({
      asset: clip.asset,
      from,
      to,
      offset: clip.offset + from - clip.start,
      gain: clip.gainDb,
      // A fade of no length has no shape; one outside the audible part changes nothing but is cheap to include.
      fadeIn: clip.fadeIn.frames === 0 ? null : [clip.start, clip.fadeIn.frames, clip.fadeIn.shape],
      fadeOut: clip.fadeOut.frames === 0 ? null : [clip.start + clip.frames, clip.fadeOut.frames, clip.fadeOut.shape],
    }));
  }

  private remember(key: string, describe: () => Canonical): string {
    const known = this.known.get(key);
    if (known !== undefined) return known;
    const hash = digest(describe());
    this.known.set(key, hash);
    return hash;
  }
}

const digest = (value: Canonical): string => bytesToHex(sha256(utf8ToBytes(write(value))));

function write(value: Canonical): string {
  if (Array.isArray(value)) return `[${(value as readonly Canonical[]).map(write).join(",")}]`;
  if (typeof value === "object" && value !== null) {
    const record = value as { readonly [key: string]: Canonical };
    return `{${Object.keys(record).sort().map((k) => `${JSON.stringify(k)}:${write(record[k] ?? null)}`).join(",")}}`;
  }
  return JSON.stringify(value);
}
