import { sha256 } from "@noble/hashes/sha2.js";
import { bytesToHex, utf8ToBytes } from "@noble/hashes/utils.js";
import type { Canonical } from "../canonical";
import { canonicalJson } from "../canonical";
import { declarationOf } from "../devices/catalogue";
import { completeParams } from "../devices/device";
import type { Tap } from "../engine/tap";
import { samplesOf } from "../instruments/instrument";
import { audibleStretches, playedNotes } from "../engine/source";
import { ENGINE_VERSION } from "../engine/version";
import type { Wire, WiredPath } from "../engine/wiring";
import { wire } from "../engine/wiring";
import { bendKey, isBent, isPlaced } from "../session/clips";
import type { Automation, Clip, Device, Session, Track } from "../session/document";
import type { TempoMap } from "../time/tempo";
import { tempoMap } from "../time/tempo";
import type { Frames } from "../units";

/**
 * Hash of everything upstream of a tap that can change its sound: audible parts of clips with the hashes of their
 * audio, notes as played in frames, device parameters, routing, channels before the tap, keys, rate and engine version.
 * Names, solo and anything downstream are not in it. SHA-256, hexadecimal.
 */
export function fingerprint(session: Session, tap: Tap): string {
  return fingerprints(session, [tap])[0] ?? "";
}

/** The same of several taps of one session, which share what lies upstream of them. */
export function fingerprints(session: Session, taps: readonly Tap[]): readonly string[] {
  return new Upstream(session).taps(taps);
}

/**
 * Fingerprint of a track's live source after its devices, whether or not it is frozen now: what its freeze must match.
 */
export function sourceFingerprint(session: Session, trackId: string): string {
  return new Upstream(session).source(trackId);
}

/**
 * Fingerprint of what taps sound like before a frame: two sessions of which it is equal give the same samples up to
 * there, and a checkpoint of one at that frame (of the engine's clock) is one of the other. Frozen audio counts as the
 * file that it is.
 */
export function prefixFingerprint(session: Session, taps: readonly Tap[], until: Frames): string {
  return digest([...new Upstream(session, until).taps(taps)]);
}

/** The same of each of several taps by itself. */
export const prefixFingerprints = (session: Session, taps: readonly Tap[], until: Frames): readonly string[] =>
  new Upstream(session, until).taps(taps);

/** A frozen track whose source would render differently today. */
export const isStale = (session: Session, track: Track): boolean =>
  track.frozen !== null && track.frozen.fingerprint !== sourceFingerprint(session, track.id);

class Upstream {
  private readonly tempo: TempoMap;
  /** The session with every track live: frozen audio that is fresh is the sound of its source. */
  private readonly live: Session;
  private readonly known = new Map<WiredPath, string>();

  /** `until`: what comes later in the timeline is left out. */
  constructor(
    private readonly session: Session,
    private readonly until: Frames = Infinity,
  ) {
    this.tempo = tempoMap(session.tempo, session.rate);
    this.live =
      until === Infinity && session.tracks.some((t) => t.frozen)
        ? { ...session, tracks: session.tracks.map((t) => (t.frozen ? { ...t, frozen: null } : t)) }
        : session;
  }

  taps(taps: readonly Tap[]): readonly string[] {
    return wire(this.live, taps).outlets.map((wires) => this.outlet(wires.map((w) => this.wire(w))));
  }

  /** Of a track's live source after its devices. */
  source(id: string): string {
    const path = wire(this.live, [], [id]).paths.find((p) => p.whole && p.track.id === id);
    if (!path) throw new RangeError(`there is no path of "${id}"`);
    return this.sourceOf(path);
  }

  private sourceOf(path: WiredPath): string {
    return this.outlet([{ port: "body", of: this.devicesOf(path), send: null }]);
  }

  private outlet(wires: readonly Canonical[]): string {
    return digest({ engine: ENGINE_VERSION, rate: this.session.rate, wires });
  }

  private wire({ from, port, device, send }: Wire): Canonical {
    return {
      // In front of a device is behind the ones before it.
      port: port === "device" ? "body" : port,
      of:
        port === "input"
          ? digest(this.start(from))
          : port === "device"
            ? this.upTo(from, device)
            : port === "body"
              ? this.body(from)
              : this.out(from),
      send: send && {
        gain: send.gainDb,
        ride: from.track.automation
          .filter((lane) => lane.target === "send" && lane.of === send.id)
          .map((lane) => this.points(lane)),
      },
    };
  }

  /**
   * The path after its devices. Frozen audio that is fresh counts as its live source: freezing changes no fingerprint,
   * and a key may be frozen without making stale what it steers.
   */
  private body(path: WiredPath): string {
    const frozen = this.session.tracks.find((t) => t.id === path.track.id)?.frozen;
    return frozen && (this.until < Infinity || frozen.fingerprint !== this.sourceOf(path))
      ? digest({ file: frozen.asset })
      : this.devicesOf(path);
  }

  private devicesOf(path: WiredPath): string {
    const known = this.known.get(path);
    if (known !== undefined) return known;
    const hash = digest({
      // A checkpoint names what it keeps by its path.
      ...(this.until < Infinity ? { name: path.name } : {}),
      source: this.start(path),
      devices: this.devices(path.track.devices, path),
      // Linked shares are steered by what the whole signal does.
      leader: path.leader && this.devicesOf(path.leader),
    });
    this.known.set(path, hash);
    return hash;
  }

  private upTo(path: WiredPath, device: string | null): string {
    const { track } = path;
    const at = track.devices.findIndex((d) => d.id === device);
    return digest({
      source: this.start(path),
      devices: this.devices(track.devices.slice(0, at), path),
      leader: null,
    });
  }

  private start({ track, inflows }: WiredPath): Canonical {
    if (this.until < Infinity && track.frozen) return { file: track.frozen.asset };
    if (track.kind === "audio") return this.clips(track.clips, this.until);
    if (track.kind === "instrument")
      return playedNotes(this.session, track, this.tempo)
        .filter((n) => n.start < this.until)
        .map((n) => [n.start, n.frames, n.pitch, n.velocity]);
    return inflows.map((w) => this.wire(w));
  }

  private out(path: WiredPath): string {
    const { track } = path;
    return digest({
      body: this.body(path),
      fader: track.faderDb,
      pan: track.pan,
      mute: track.mute,
      automation: track.automation
        .filter((lane) => lane.target === "fader" || lane.target === "pan" || lane.target === "mute")
        .map((lane) => [lane.target, this.points(lane)]),
    });
  }

  private devices(devices: readonly Device[], path: WiredPath | null): Canonical {
    return devices.flatMap((device): Canonical[] => {
      const declaration = declarationOf(device.type);
      if (!declaration || !device.on) return [];
      const key = path?.keys.get(device.id);
      return [
        {
          type: device.type,
          params: completeParams(declaration, device.params),
          moves: (path?.track.automation ?? [])
            .filter((lane) => lane.target === "param" && lane.of === device.id)
            .map((lane) => [lane.param, this.points(lane)]),
          seed: declaration.role === "instrument" ? device.id : null,
          key: key ? this.body(key) : null,
          tempo: declaration.usesTempo ? this.tempoOf(path !== null) : null,
          ...this.instrument(device),
          layers: device.layers.map((l) => [
            l.pad,
            l.asset,
            this.session.assets.find((a) => a.id === l.asset)?.rate ?? 0,
            l.gainDb,
            l.cents,
            l.softest,
            l.loudest,
          ]),
        },
      ];
    });
  }

  /** What a device plays: an instrument counts as its zones, not by its name. */
  private instrument({ instrument: id }: Device): { readonly instrument?: Canonical } {
    const instrument = id === null ? undefined : this.session.instruments.find((i) => i.id === id);
    if (!instrument) return {};
    const rates = samplesOf(instrument).map((s) => this.session.assets.find((a) => a.id === s)?.rate ?? 0);
    return { instrument: [instrument.zones, instrument.modulators, rates] as unknown as Canonical };
  }

  /** `played`: by a device on a path; effects of a clip may have run ahead. */
  private tempoOf(played: boolean): Canonical {
    const { tempo } = this.session;
    const points = played ? begun(tempo, (p) => this.tempo.toFrames(p.tick), this.until) : tempo;
    return points.map((p) => [p.tick, p.bpm, p.shape]);
  }

  private points(lane: Automation): Canonical {
    const points = begun(lane.points, (p) => this.tempo.toFrames(p.tick), this.until);
    // Before its first point a lane has that point's value, wherever the point stands.
    if (points.length === 0) return [lane.points[0]?.value ?? null];
    return points.map((p) => [this.tempo.toFrames(p.tick), p.value, p.shape, p.shape === "curved" ? p.bend : 0]);
  }

  private clips(clips: readonly Clip[], until: Frames): Canonical {
    const heard = audibleStretches(clips.filter(isPlaced)).filter(({ from }) => from < until);
    return heard.map(({ from, to, clip }) => ({
      from,
      to: Math.min(to, until),
      gain: clip.gainDb,
      // A fade of no length has no shape; one outside the audible part changes nothing but is cheap to include.
      fadeIn: clip.fadeIn.frames === 0 ? null : [clip.start, clip.fadeIn.frames, clip.fadeIn.shape],
      fadeOut:
        clip.fadeOut.frames === 0 || clip.start + clip.frames - clip.fadeOut.frames >= until
          ? null
          : [clip.start + clip.frames, clip.fadeOut.frames, clip.fadeOut.shape],
      offset: clip.offset + from - clip.start,
      ...(clip.kind === "nest"
        ? { nest: this.clips(clip.children, until - clip.start + clip.offset) }
        : {
            asset: clip.asset,
            shape: [clip.reverse, clip.stretch, clip.transposeCents, ...(isBent(clip) ? [bendKey(clip)] : [])],
            // Effects hear the clip from its own first frame to its last.
            process: clip.process.some((d) => d.on)
              ? [
                  ...[clip.start, clip.frames, clip.offset, this.devices(clip.process, null)],
                  ...(clip.ringsOn ? ["rings on"] : []),
                ]
              : null,
          }),
    }));
  }
}

/**
 * Points that matter up to a frame: those that stand there or before, and the next where the last of them moves
 * towards it.
 */
function begun<P extends { readonly shape: string }>(
  points: readonly P[],
  frameOf: (point: P) => Frames,
  until: Frames,
): readonly P[] {
  const later = points.findIndex((p) => frameOf(p) > until);
  if (later < 0) return points;
  const last = points[later - 1];
  return points.slice(0, last && last.shape !== "hold" ? later + 1 : later);
}

const digest = (value: Canonical): string => bytesToHex(sha256(utf8ToBytes(canonicalJson(value))));
