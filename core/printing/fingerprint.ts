import { sha256 } from "@noble/hashes/sha2.js";
import { bytesToHex, utf8ToBytes } from "@noble/hashes/utils.js";
import type { Canonical } from "../canonical";
import { canonicalJson } from "../canonical";
import { declarationOf } from "../devices/catalogue";
import { completeParams } from "../devices/device";
import type { Tap } from "../engine/tap";
import { audibleStretches, playedNotes } from "../engine/source";
import { ENGINE_VERSION } from "../engine/version";
import { isPlaced } from "../session/clips";
import type { Automation, Clip, Device, Session, Track } from "../session/document";
import { mixOf, trackOf } from "../session/routing";
import type { TempoMap } from "../time/tempo";
import { tempoMap } from "../time/tempo";

/**
 * Hash of everything upstream of a tap that can change its sound: audible parts of clips with the hashes of their audio, notes as
 * played in frames, device parameters, routing, channels before the tap, keys, rate and engine version. Names, solo
 * and anything downstream are not in it. SHA-256, hexadecimal.
 */
export function fingerprint(session: Session, tap: Tap): string {
  return new Upstream(session).tap(tap);
}

/** The same of several taps of one session, which share what lies upstream of them. */
export function fingerprints(session: Session, taps: readonly Tap[]): readonly string[] {
  const upstream = new Upstream(session);
  return taps.map((tap) => upstream.tap(tap));
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
  readonly linked: boolean;
}

function shareOf(session: Session, { sources, returns, linked }: Extract<Tap, { kind: "path" }>): Share {
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
  return { sources: new Set(sources), carriers, linked };
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
      if (tap.at === "clip") return digest(this.start(track, null));
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
      source: this.start(track, share),
      devices: this.devices(track.devices, track),
      // Linked shares are steered by what the whole signal does.
      whole: share?.linked && track.devices.some((d) => d.on && declarationOf(d.type)?.dynamics) ? this.live(track, null) : null,
    }));
  }

  private start(track: Track, share: Share | null): Canonical {
    if (track.kind === "audio") return this.clips(track.clips);
    if (track.kind === "instrument") return playedNotes(this.session, track, this.tempo).map((n) => [n.start, n.frames, n.pitch, n.velocity]);
    return this.inputs(track, share);
  }

  private devices(devices: readonly Device[], track: Track | null): Canonical {
    return devices.flatMap((device): Canonical[] => {
      const declaration = declarationOf(device.type);
      if (!declaration || !device.on) return [];
      return [{
        type: device.type,
        params: completeParams(declaration, device.params),
        moves: (track?.automation ?? []).filter((lane) => lane.target === "param" && lane.of === device.id).map((lane) => [lane.param, this.points(lane)]),
        seed: declaration.role === "instrument" ? device.id : null,
        key: device.key === null ? null : this.body(trackOf(this.session, device.key), null),
        tempo: declaration.usesTempo ? this.session.tempo.map((p) => [p.tick, p.bpm, p.shape]) : null,
        layers: device.layers.map((l) => [l.pad, l.asset, this.session.assets.find((a) => a.id === l.asset)?.rate ?? 0, l.gainDb, l.cents, l.softest, l.loudest]),
      }];
    });
  }

  private points(lane: Automation): Canonical {
    return lane.points.map((p) => [this.tempo.toFrames(p.tick), p.value, p.shape, p.shape === "curved" ? p.bend : 0]);
  }

  private out(track: Track, share: Share | null): string {
    const within = share?.carriers.has(track.id) && !share.sources.has(track.id) ? share : null;
    return this.remember(`out/${within ? "share/" : ""}${track.id}`, () => ({
      body: this.body(track, within),
      fader: track.faderDb,
      pan: track.pan,
      mute: track.mute,
      automation: track.automation.filter((lane) => lane.target === "fader" || lane.target === "pan" || lane.target === "mute").map((lane) => [lane.target, this.points(lane)]),
    }));
  }

  private inputs(track: Track, share: Share | null): Canonical {
    return this.session.tracks.flatMap((from): Canonical[] => {
      if (from.parked || (share && !share.sources.has(from.id) && !share.carriers.has(from.id))) return [];
      return [
        ...(from.output === track.id ? [this.out(from, share)] : []),
        ...from.sends.filter((s) => s.to === track.id).map((s) => ({
          gain: s.gainDb,
          ride: from.automation.filter((lane) => lane.target === "send" && lane.of === s.id).map((lane) => this.points(lane)),
          from: s.position === "before fader" ? this.body(from, null) : this.out(from, share),
        })),
      ];
    });
  }

  private clips(clips: readonly Clip[]): Canonical {
    return audibleStretches(clips.filter(isPlaced)).map(({ from, to, clip }) => ({
      from,
      to,
      gain: clip.gainDb,
      // A fade of no length has no shape; one outside the audible part changes nothing but is cheap to include.
      fadeIn: clip.fadeIn.frames === 0 ? null : [clip.start, clip.fadeIn.frames, clip.fadeIn.shape],
      fadeOut: clip.fadeOut.frames === 0 ? null : [clip.start + clip.frames, clip.fadeOut.frames, clip.fadeOut.shape],
      offset: clip.offset + from - clip.start,
      ...(clip.kind === "nest"
        ? { nest: this.clips(clip.children) }
        : {
            asset: clip.asset,
            shape: [clip.reverse, clip.stretch, clip.transposeCents],
            // Effects hear the clip from its own first frame to its last.
            process: clip.process.some((d) => d.on) ? [clip.start, clip.frames, clip.offset, this.devices(clip.process, null)] : null,
          }),
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

const digest = (value: Canonical): string => bytesToHex(sha256(utf8ToBytes(canonicalJson(value))));
