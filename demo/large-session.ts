import { makeAudioClip, makeDevice, makeSend, makeSession, makeTrack } from "../core/session/build";
import type { Asset, Session, Track } from "../core/session/document";
import { randomUnit } from "../core/random";
import { fillSheet } from "../core/delivery/sheet";
import type { Frames } from "../core/units";

export interface LargeSession {
  readonly tracks: number;
  readonly clips: number;
  /** Recordings the clips are cut from. */
  readonly audio: readonly Asset[];
  readonly rate: Session["rate"];
}

/** How many tracks feed one group. */
const GROUP = 12;
const EFFECTS = [
  ["eq", { bell1Db: 3, highDb: -2 }],
  ["compressor", { thresholdDb: -24, ratio: 2 }],
  ["filter", { cutoffHz: 6000 }],
  ["saturator", { driveDb: 4 }],
  ["utility", { width: 80 }],
] as const;

/**
 * A session as large as a big production: tracks in groups, two returns, clips all over the timeline. The same every
 * time.
 */
export function largeSession({ tracks, clips, audio, rate }: LargeSession): Session {
  const perTrack = Math.ceil(clips / tracks);
  const made = Array.from({ length: tracks }, (_, i): Track => {
    const asset = audio[i % audio.length] as Asset;
    const part: Frames = Math.floor(asset.frames / 3);
    let start = Math.floor(randomUnit(11, i) * rate);
    const cut = Array.from({ length: Math.min(perTrack, clips - i * perTrack) }, (__, c) => {
      const n = i * perTrack + c;
      const frames = Math.max(rate >> 3, Math.floor(part * (0.1 + 0.4 * randomUnit(12, n))));
      const clip = makeAudioClip({
        id: `c${n}`,
        name: `${asset.name} ${c + 1}`,
        asset: asset.id,
        start,
        frames,
        offset: Math.floor(randomUnit(13, n) * (asset.frames - frames)),
        gainDb: Math.round(-6 * randomUnit(14, n)),
        fadeIn: { frames: 240, shape: "linear" },
        fadeOut: { frames: Math.min(2400, frames >> 1), shape: "equal power" },
      });
      start += frames + Math.floor(rate * 0.2 * randomUnit(15, n));
      return clip;
    });
    return makeTrack({
      id: `t${i}`,
      name: `${asset.name} ${i + 1}`,
      kind: "audio",
      output: `g${Math.floor(i / GROUP)}`,
      faderDb: Math.round(-18 - 6 * randomUnit(16, i)),
      pan: Math.round(20 * (randomUnit(17, i) - 0.5)) / 10,
      clips: cut,
      devices: EFFECTS.filter((__, d) => (i + d) % 3 === 0).map(([type, params], d) =>
        makeDevice(`t${i}-d${d}`, type, params),
      ),
      sends: i % 4 === 0 ? [makeSend(`t${i}-s`, i % 8 === 0 ? "room" : "hall", -14)] : [],
    });
  });
  const session = makeSession({
    name: `${tracks} tracks`,
    rate,
    assets: audio,
    tracks: [
      ...made,
      ...Array.from({ length: Math.ceil(tracks / GROUP) }, (_, g) =>
        makeTrack({
          id: `g${g}`,
          name: `Group ${g + 1}`,
          kind: "group",
          devices: [makeDevice(`g${g}-eq`, "eq", { lowDb: -1 })],
        }),
      ),
      makeTrack({
        id: "hall",
        name: "Hall",
        kind: "return",
        devices: [makeDevice("hall-room", "reverb", { decayS: 2 })],
      }),
      makeTrack({
        id: "room",
        name: "Room",
        kind: "return",
        devices: [makeDevice("room-room", "reverb", { decayS: 0.6, size: 30 })],
      }),
      makeTrack({
        id: "mix",
        name: "Mix",
        kind: "mix",
        devices: [makeDevice("mix-limit", "limiter", { ceilingDb: -1 })],
      }),
    ],
  });
  return { ...session, sheet: fillSheet(session) };
}
