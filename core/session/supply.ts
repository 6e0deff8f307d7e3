import { withSamples } from "../instruments/instrument";
import type { Asset, Clip, Device, Session } from "./document";
import type { Edit, Step } from "./edits";

/** Files that are missing: silence stands for them until they are supplied. */
export const missingAssets = (session: Session): readonly Asset[] =>
  session.assets.filter((a) => a.origin === "missing");

export interface Supplied {
  /** The asset that stands for what was missing. */
  readonly missing: string;
  readonly asset: Asset;
}

/** Puts files in the place of those that were missing, wherever they play; in one step. */
export function supplyStep(session: Session, supplied: readonly Supplied[]): Step {
  const byMissing = new Map(supplied.map((s) => [s.missing, s.asset.id]));
  const known = new Set(session.assets.map((a) => a.id));
  const edits: Edit[] = [];
  let index = session.assets.length;
  for (const { asset } of supplied) {
    if (known.has(asset.id)) continue;
    known.add(asset.id);
    edits.push({ do: "add", in: "assets", item: { ...asset }, index: index++ });
  }
  for (const instrument of session.instruments) {
    if (!instrument.zones.some((z) => byMissing.has(z.sample))) continue;
    const { zones } = withSamples(instrument, (sample) => byMissing.get(sample) ?? sample);
    edits.push({ do: "set", in: "instruments", id: instrument.id, patch: { zones } });
  }
  for (const track of session.tracks) {
    for (const clip of track.clips) {
      const now = withClip(clip, byMissing);
      if (now === clip || now.kind === "notes") continue;
      const patch = now.kind === "nest" ? { children: now.children } : { asset: now.asset, process: now.process };
      edits.push({ do: "set", in: "clips", track: track.id, id: now.id, patch });
    }
    for (const take of track.takes) {
      const clips = take.clips.map((c) => withClip(c, byMissing));
      if (clips.some((c, i) => c !== take.clips[i]))
        edits.push({ do: "set", in: "takes", track: track.id, id: take.id, patch: { clips } });
    }
    for (const device of track.devices) {
      const layers = withLayers(device, byMissing);
      if (layers !== device.layers)
        edits.push({ do: "set", in: "devices", track: track.id, id: device.id, patch: { layers: [...layers] } });
    }
  }
  for (const { missing } of supplied) edits.push({ do: "remove", in: "assets", id: missing });
  return { label: supplied.length === 1 ? "Supply a missing file" : `Supply ${supplied.length} missing files`, edits };
}

/** The same clip where nothing in it is missing. */
function withClip(clip: Clip, byMissing: ReadonlyMap<string, string>): Clip {
  switch (clip.kind) {
    case "notes":
      return clip;
    case "nest": {
      const children = clip.children.map((c) => withClip(c, byMissing) as typeof c);
      return children.some((c, i) => c !== clip.children[i]) ? { ...clip, children } : clip;
    }
    case "audio": {
      const asset = byMissing.get(clip.asset) ?? clip.asset;
      const process = clip.process.map((d) => {
        const layers = withLayers(d, byMissing);
        return layers === d.layers ? d : { ...d, layers: [...layers] };
      });
      return asset === clip.asset && process.every((d, i) => d === clip.process[i])
        ? clip
        : { ...clip, asset, process };
    }
  }
}

function withLayers({ layers }: Device, byMissing: ReadonlyMap<string, string>): Device["layers"] {
  if (!layers.some((l) => byMissing.has(l.asset))) return layers;
  return layers.map((l) => ({ ...l, asset: byMissing.get(l.asset) ?? l.asset }));
}

const CHANNEL = /, channel (\d+)$/;

/** The name that stands for a missing file, or for one channel of it, counted from 0. */
export const missingName = (path: string, channel: number | null): string => {
  const which = channel === null ? "" : `, channel ${channel + 1}`;
  return `${path.slice(-(200 - which.length))}${which}`;
};

/** The channel that a missing file's name asks for; null: all of it. */
export function missingChannel(name: string): number | null {
  const [, number] = CHANNEL.exec(name) ?? [];
  return number === undefined ? null : Number(number) - 1;
}

/** What a file is known by: its name without folders and ending, in small letters. */
const stemOf = (path: string): string =>
  path
    .normalize("NFC")
    .replace(CHANNEL, "")
    .replace(/^.*[/\\]/, "")
    .replace(/\.[a-z0-9]{2,5}$/i, "")
    .toLowerCase();

/**
 * Which of the files that came is meant for which missing one: by name; where one is missing and one came, whatever it
 * is called. Answers with the place of the file for each missing asset that has one.
 */
export function matchMissing(missing: readonly Asset[], paths: readonly string[]): ReadonlyMap<string, number> {
  const found = new Map<string, number>();
  for (const { id, name } of missing) {
    const wanted = stemOf(name);
    const at = paths.findIndex((p) => stemOf(p) === wanted);
    if (at >= 0) found.set(id, at);
  }
  const [only] = missing;
  if (found.size === 0 && missing.length === 1 && paths.length === 1 && only) found.set(only.id, 0);
  return found;
}
