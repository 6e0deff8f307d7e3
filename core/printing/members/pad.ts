import { declarationOf } from "../../devices/catalogue";
import { completeParams } from "../../devices/device";
import { FIRST_PAD_NOTE, LAYERS_A_PAD, PADS, kit } from "../../devices/kit";
import { pow } from "../../math";
import type { Device, Layer, Phrase, Session, Track } from "../../session/document";
import type { Piece } from "../pieces";
import type { Printed } from "../print";
import type { Edit } from "../../session/edits";
import { refuse } from "../../session/problem";
import type { Member, Reopened } from "./member";
import type { Reason } from "../reasons";
import type { Why } from "../refusals";

/** A range of velocities in which always the same layers of a pad sound. */
export interface Band {
  readonly softest: number;
  readonly loudest: number;
  readonly layers: readonly Layer[];
}

export const layersOf = (device: Device, pad: number): readonly Layer[] => device.layers.filter((l) => l.pad === pad);

/** The ranges of velocities that a pad answers differently, softest first; where nothing sounds there is none. */
export function bandsOf(layers: readonly Layer[]): readonly Band[] {
  const edges = [...new Set(layers.flatMap((l) => [l.softest, l.loudest + 1]))].sort((a, b) => a - b);
  return edges.slice(0, -1).flatMap((softest, i): Band[] => {
    const loudest = (edges[i + 1] ?? 128) - 1;
    const sounding = layers.filter((l) => l.softest <= softest && l.loudest >= loudest);
    return sounding.length === 0 ? [] : [{ softest, loudest, layers: sounding }];
  });
}

const kitOf = (track: Track, device: string): Device | undefined =>
  track.devices.find((d) => d.id === device && d.type === kit.type);

/** What becomes one file each: every band by itself, or for all velocities what the hardest strike plays. */
function mergedBands(device: Device, pad: number, velocities: "each" | "one"): readonly Band[] {
  const bands = bandsOf(layersOf(device, pad));
  const hardest = bands.at(-1);
  return velocities === "each" || !hardest ? bands : [{ softest: 1, loudest: 127, layers: hardest.layers }];
}

/** Why a pad's layers cannot be made one; null: they can. */
function refusal(track: Track, deviceId: string, pad: number, velocities: "each" | "one"): Why | null {
  const device = kitOf(track, deviceId);
  if (!device) return { kind: "no such kit" };
  const layers = layersOf(device, pad);
  if (layers.length < 2) return { kind: layers.length === 0 ? "pad empty" : "one layer" };
  const bands = mergedBands(device, pad, velocities);
  return bands.length > LAYERS_A_PAD ? { kind: "too many layers", sounds: bands.length, most: LAYERS_A_PAD } : null;
}

/** Why a merged pad sounds otherwise; null: it sounds the same. */
function differs(track: Track, deviceId: string, pad: number, velocities: "each" | "one"): Reason | null {
  const device = kitOf(track, deviceId);
  if (!device) return null;
  const bands = bandsOf(layersOf(device, pad));
  if (velocities === "one" && (bands.length > 1 || bands.some((b) => b.softest > 1 || b.loudest < 127)))
    return { kind: "only the hardest strike" };
  return completeParams(kit, device.params)["tuneCents"] === 0 ? null : { kind: "tuned kit" };
}

/**
 * A copy of the kit with one band's layers and nothing else, struck once at the timeline's zero; and the phrase that
 * strikes it.
 */
function pieces(
  session: Session,
  track: Track,
  deviceId: string,
  pad: number,
  velocities: "each" | "one",
): { readonly pieces: readonly Piece[]; readonly phrases: readonly Phrase[] } {
  const device = kitOf(track, deviceId);
  if (!device) return { pieces: [], phrases: [] };
  const phrases: Phrase[] = [];
  const pieces = mergedBands(device, pad, velocities).map((band, i): Piece => {
    const phrase: Phrase = {
      id: `pad-${i}`,
      name: "",
      ticks: 1,
      notes: [{ tick: 0, ticks: 1, pitch: FIRST_PAD_NOTE + pad, velocity: band.loudest }],
    };
    phrases.push(phrase);
    // As loud as its layers are set, whatever the strike: touch and level are the kit's, and stay live.
    const bare: Device = { ...device, on: true, params: { touch: 0, level: 100 }, layers: band.layers };
    return {
      sources: [track.id],
      from: 0,
      own: true,
      at: [],
      layered: false,
      velocities: { softest: band.softest, loudest: band.loudest },
      to: Math.max(1, ...band.layers.map((l) => soundFrames(session, l))),
      alone: {
        ...track,
        devices: [bare],
        sends: [],
        automation: [],
        takes: [],
        mute: false,
        clips: [
          {
            kind: "notes",
            id: "strike",
            name: "",
            phrase: phrase.id,
            start: 0,
            offset: 0,
            ticks: 1,
            loop: false,
            muted: false,
          },
        ],
      },
    };
  });
  return { pieces, phrases };
}

/** How long a layer sounds, at the session's rate. */
function soundFrames(session: Session, layer: Layer): number {
  const asset = session.assets.find((a) => a.id === layer.asset);
  return asset ? Math.ceil((asset.frames * session.rate) / asset.rate / pow(2, layer.cents / 1200)) : 0;
}

/** Whether a device is a kit that can take another layer on a pad. */
export const padHasRoom = (device: Device, pad: number): boolean =>
  declarationOf(device.type) === kit && layersOf(device, pad).length < LAYERS_A_PAD;

/**
 * Which pads several prints go to, one each: from a pad on, those that have room. Both sides of two mono files go to
 * one. Fewer than asked for where the kit has no more room.
 */
export function padsFrom(device: Device, { pad }: { readonly pad: number }, count: number, together: boolean) {
  if (together) return Array.from({ length: count }, () => pad);
  return Array.from({ length: PADS - pad }, (_, k) => pad + k)
    .filter((p) => padHasRoom(device, p))
    .slice(0, count);
}

/** A print as a layer of a pad. */
export const layerOf = (printed: Printed, pad: number, newId: () => string): Layer => ({
  id: newId(),
  pad,
  asset: printed.asset.id,
  gainDb: 0,
  cents: 0,
  softest: printed.file.velocities?.softest ?? 1,
  loudest: printed.file.velocities?.loudest ?? 127,
});

/** A merged pad gets the layers back that it had. */
function reopened(now: Session, before: Session, id: string, deviceId: string, pad: number): Reopened {
  const [then, today] = [before, now].map((s) =>
    s.tracks.find((t) => t.id === id)?.devices.find((d) => d.id === deviceId),
  );
  if (!then || !today) return refuse("source", "the kit is gone");
  const layers = layersOf(then, pad);
  const isGone = (asset: string) => !now.assets.some((a) => a.id === asset);
  const assets = before.assets.filter((a) => layers.some((l) => l.asset === a.id) && isGone(a.id));
  const restored = [...today.layers.filter((l) => l.pad !== pad), ...layers];
  const edits = [
    ...assets.map((a, i): Edit => ({ do: "add", in: "assets", item: { ...a }, index: now.assets.length + i })),
    { do: "set", in: "devices", track: id, id: deviceId, patch: { layers: restored } } as const,
  ];
  return { ok: true, value: { tracks: [id], step: { label: "Reopen a merged pad", edits } } };
}

/** One pad of a kit: its layers give way to one a band of velocities, or to one for all. */
export const pad: Member = {
  apart: true,
  baked: [{ kind: "pad layers" }],
  live: [{ kind: "whole kit" }],
  refusesAgain: { kind: "merged pad" },
  refusesTrack: ({ slip: { of } }, track) =>
    of.what === "pad" ? refusal(track, of.device, of.pad, of.velocities) : null,
  pieces({ session, tracks: [first], slip: { of } }) {
    return of.what === "pad" && first
      ? pieces(session, first, of.device, of.pad, of.velocities)
      : { pieces: [], phrases: [] };
  },
  differs: ({ tracks: [first], slip: { of } }) =>
    of.what === "pad" && first ? differs(first, of.device, of.pad, of.velocities) : null,
  step({ session, slip: { of, tracks } }, printed, newId) {
    const track = session.tracks.find((t) => t.id === tracks[0]);
    const device = of.what === "pad" ? track?.devices.find((d) => d.id === of.device) : undefined;
    if (of.what !== "pad" || !track || !device) return [];
    const layers = [...device.layers.filter((l) => l.pad !== of.pad), ...printed.map((p) => layerOf(p, of.pad, newId))];
    return [{ do: "set", in: "devices", track: track.id, id: device.id, patch: { layers } }];
  },
  reopen: (now, before, { of, tracks }) =>
    of.what === "pad" ? reopened(now, before, tracks[0] ?? "", of.device, of.pad) : refuse("source", "it is no pad"),
};
