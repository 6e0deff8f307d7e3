import type { Frames } from "../units";
import { makeAudioClip, makeTrack } from "./build";
import type { Asset, Session } from "./document";
import type { Edit, Step } from "./edits";
import { mixOf } from "./routing";

/** A delivered file whose audio is in the store at the session's rate; `at`: where its first frame stood. */
export interface Returned {
  readonly asset: Asset;
  readonly title: string;
  /** Below zero where more silence was in front than the timeline has. */
  readonly at: Frames;
}

/** Lays delivered files on the session where they came from, each on a track of its own above the mix, muted. */
export function bringBackStep(session: Session, files: readonly Returned[], name: string, newId: () => string): Step {
  const edits: Edit[] = [];
  const known = new Set(session.assets.map((a) => a.id));
  const mix = mixOf(session);
  let index = session.tracks.indexOf(mix);
  for (const { asset, title, at } of files) {
    if (!known.has(asset.id)) {
      edits.push({ do: "add", in: "assets", item: { ...asset }, index: known.size });
      known.add(asset.id);
    }
    const offset = Math.max(0, -at);
    if (asset.frames <= offset) continue;
    const clip = makeAudioClip({
      id: newId(),
      name: title,
      asset: asset.id,
      start: Math.max(0, at),
      offset,
      frames: asset.frames - offset,
    });
    const track = makeTrack({ id: newId(), name: title, kind: "audio", output: mix.id, clips: [clip], mute: true });
    edits.push({ do: "add", in: "tracks", item: { ...track }, index: index++ });
  }
  return { label: `Bring back ${name}`, edits };
}
