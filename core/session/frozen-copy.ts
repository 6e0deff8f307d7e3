import type { TempoMap } from "../time/tempo";
import type { Frames } from "../units";
import { clipSpan } from "./clips";
import type { Asset, Clip, Session } from "./document";
import type { Edit, Step } from "./edits";
import { importStep } from "./import";

/**
 * Copies what a frozen track plays where one of its clips stands, to the end of that clip: a window on the frozen
 * audio, laid at `start` on a track that takes audio, or on a new one below it. Null where the frozen audio ends before
 * the clip begins.
 */
export function frozenClipStep(
  session: Session,
  { asset, clip, track }: { readonly asset: Asset; readonly clip: Clip; readonly track: string },
  start: Frames,
  tempo: TempoMap,
  newId: () => string,
): Step | null {
  const { from, to } = clipSpan(clip, tempo);
  const frames = Math.min(to, asset.frames) - from;
  if (frames <= 0) return null;
  const name = clip.name || asset.name;
  const step = importStep(session, [{ asset, timeReference: null }], { by: "frame", frame: start, track }, newId);
  const window = { name, offset: from, frames };
  return {
    label: `Copy the frozen audio of ${name}`,
    edits: step.edits.map((e): Edit => {
      if (e.do === "add" && e.in === "clips") return { ...e, item: { ...e.item, ...window } };
      if (e.do === "add" && e.in === "tracks") {
        const made = e.item as unknown as { readonly clips: readonly object[] };
        return {
          ...e,
          item: { ...e.item, name, clips: made.clips.map((c) => ({ ...c, ...window })) },
        } as unknown as Edit;
      }
      return e;
    }),
  };
}
