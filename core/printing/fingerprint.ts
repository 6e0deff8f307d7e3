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
  return new Upstream(session, null).tap(tap);
}

/** Fingerprint of a track's live source after its devices, whether or not it is frozen now: what its freeze must match. */
export function sourceFingerprint(session: Session, trackId: string): string {
  return new Upstream(session, trackId).tap({ kind: "path", sources: [trackId], at: "devices", returns: false });
}

/** A frozen track whose source would render differently today. */
export const isStale = (session: Session, track: Track): boolean =>
  track.frozen !== null && track.frozen.fingerprint !== sourceFingerprint(session, track.id);

class Upstream {
  private readonly tempo: TempoMap;
  private readonly known = new Map<string, string>();

  constructor(private readonly session: Session, private readonly live: string | null) {
    this.tempo = tempoMap(session.tempo, session.rate);
  }

  tap(tap: Tap): string {
    const head = { engine: ENGINE_VERSION, rate: this.session.rate };
    if (tap.kind === "mix") {
      const mix = mixOf(this.session);
      return digest({ ...head, mix: tap.at === "before its chain" ? this.inputs(mix, null) : this.out(mix, null) });
    }
    const sources = new Set(tap.sources);
    const points = tap.sources.map((id) => {
      const track = trackOf(this.session, id);
      return tap.at === "devices" ? this.body(track, null) : this.out(track, null);
    });
    const returns = tap.returns
      ? this.session.tracks.filter((t) => t.kind === "return" && !t.parked).map((t) => this.out(t, sources))
      : [];
    const above = tap.at === "group" ? this.session.tracks.filter((t) => t.kind === "group").map((t) => this.out(t, sources)) : [];
    return digest({ ...head, at: tap.at, points, returns, above });
  }

  /** The path after its devices; with a share, as only those sources sound through it. */
  private body(track: Track, share: ReadonlySet<string> | null): string {
    return this.remember(`body/${share ? "share/" : ""}${track.id}`, () => {
      if (track.parked) return "parked";
      if (track.frozen && track.id !== this.live) return { file: track.frozen.asset };
      return {
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
      };
    });
  }

  private out(track: Track, share: ReadonlySet<string> | null): string {
    const within = share && (track.kind === "group" || track.kind === "return") && !share.has(track.id) ? share : null;
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

  private inputs(track: Track, share: ReadonlySet<string> | null): Canonical {
    return this.session.tracks.flatMap((from): Canonical[] => {
      if (from.parked || (share && !share.has(from.id) && from.kind !== "group" && from.kind !== "return")) return [];
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
