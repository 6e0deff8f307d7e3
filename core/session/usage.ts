import { samplesOf } from "../instruments/instrument";
import { audioClips } from "./clips";
import type { Clip, Session } from "./document";
import type { Edit } from "./edits";

/** Where audio is used: by a track's clips, its takes, its devices, or as its frozen sound. */
export interface Use {
  readonly track: string;
  readonly as: "clip" | "take" | "device" | "frozen";
}

/** Every use of every asset of a session; those that nothing uses are not in it. */
export function usesOf(session: Session): ReadonlyMap<string, readonly Use[]> {
  const uses = new Map<string, Use[]>();
  const add = (asset: string, use: Use) => {
    const list = uses.get(asset);
    if (list) list.push(use);
    else uses.set(asset, [use]);
  };
  const instruments = new Map(session.instruments.map((i) => [i.id, i]));
  for (const track of session.tracks) {
    const of = (clips: readonly Clip[], as: Use["as"]) => {
      for (const clip of audioClips(clips)) {
        add(clip.asset, { track: track.id, as });
        for (const device of clip.process)
          for (const layer of device.layers) add(layer.asset, { track: track.id, as: "device" });
      }
    };
    of(track.clips, "clip");
    for (const take of track.takes) of(take.clips, "take");
    for (const device of track.devices) {
      for (const layer of device.layers) add(layer.asset, { track: track.id, as: "device" });
      const instrument = instruments.get(device.instrument ?? "");
      for (const sample of instrument ? samplesOf(instrument) : []) add(sample, { track: track.id, as: "device" });
    }
    if (track.frozen) add(track.frozen.asset, { track: track.id, as: "frozen" });
  }
  return uses;
}

/**
 * Takes everything off the shelf that nothing uses. The files themselves stay in the store, so that it can be undone.
 */
export function clearUnused(session: Session): readonly Edit[] {
  const uses = usesOf(session);
  const played = new Set(session.tracks.flatMap((t) => t.devices.map((d) => d.instrument)));
  const silent = session.instruments.filter((i) => !played.has(i.id));
  const gone = silent.map((i): Edit => ({ do: "remove", in: "instruments", id: i.id }));
  const files = session.assets
    .filter((a) => !uses.has(a.id))
    .map((a): Edit => ({ do: "remove", in: "assets", id: a.id }));
  return [...gone, ...files];
}
