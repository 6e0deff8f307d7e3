import type { AudioClip, Clip, NestClip, Session } from "../session/document";
import type { Edit, Step } from "../session/edits";
import { subjectOf } from "./members/family";
import type { Printed } from "./print";
import { planPrint } from "./plan";
import type { PrintPlan } from "./print";
import type { Planned } from "./refusals";
import { refusePrint } from "./refusals";
import type { Slip } from "./slip";

/** The session with the sources of a print awake, as they were when it was made. */
export const awake = (session: Session, slip: Slip): Session => ({
  ...session,
  tracks: session.tracks.map((t) => (slip.tracks.includes(t.id) && t.parked ? { ...t, parked: false } : t)),
});

/** Plans a print again from its sources as they are today, parked or not. */
export function planAgain(session: Session, slip: Slip): Planned<PrintPlan> {
  const { refusesAgain } = subjectOf(slip);
  if (refusesAgain) return refusePrint(refusesAgain);
  if (slip.afterwards === "replace" && slip.placed !== "shelf" && slip.placed !== "pad")
    return refusePrint({ kind: "source replaced" });
  const gone = slip.tracks.find((id) => !session.tracks.some((t) => t.id === id));
  return gone === undefined ? planPrint(awake(session, slip), slip) : refusePrint({ kind: "source gone" });
}

/**
 * Whether a print's source would sound otherwise today: `fresh`, or what came between. Null: there is nothing to
 * compare with.
 */
export function freshness(
  session: Session,
  slip: Slip,
  fingerprint: string,
): "fresh" | "stale" | "gone" | "unprintable" | null {
  const isSourceGone = slip.afterwards === "replace" && slip.placed !== "shelf" && slip.placed !== "pad";
  if (subjectOf(slip).refusesAgain || isSourceGone) return null;
  if (slip.tracks.some((id) => !session.tracks.some((t) => t.id === id))) return "gone";
  const plan = planPrint(awake(session, slip), slip);
  if (!plan.ok) return "unprintable";
  return plan.value.files.some((f) => f.fingerprint === fingerprint) ? "fresh" : "stale";
}

/** An earlier print, by the audio it has been until now, and what comes in its place. */
export interface Renewed {
  readonly old: string;
  readonly printed: Printed;
}

/** Puts newly printed audio wherever the old one plays: clips keep their place, and grow where they reached its end. */
export function refreshStep(session: Session, renewed: readonly Renewed[], label: string): Step {
  const edits: Edit[] = [];
  const known = new Set(session.assets.map((a) => a.id));
  for (const {
    printed: { asset },
  } of renewed) {
    if (known.has(asset.id)) continue;
    edits.push({ do: "add", in: "assets", item: { ...asset }, index: known.size });
    known.add(asset.id);
  }
  const byOld = new Map(renewed.map((r) => [r.old, r]));
  const framesOf = new Map(session.assets.map((a) => [a.id, a.frames]));
  for (const track of session.tracks) {
    for (const clip of track.clips) {
      const fresh = renewedClip(clip, byOld, framesOf);
      if (fresh !== clip)
        edits.push({
          do: "set",
          in: "clips",
          track: track.id,
          id: clip.id,
          patch:
            fresh.kind === "nest"
              ? { children: fresh.children }
              : {
                  ...(fresh.kind === "audio"
                    ? {
                        asset: fresh.asset,
                        offset: fresh.offset,
                        frames: fresh.frames,
                        fadeIn: fresh.fadeIn,
                        fadeOut: fresh.fadeOut,
                      }
                    : {}),
                },
        });
    }
    for (const device of track.devices) {
      if (!device.layers.some((l) => byOld.has(l.asset))) continue;
      edits.push({
        do: "set",
        in: "devices",
        track: track.id,
        id: device.id,
        patch: { layers: device.layers.map((l) => ({ ...l, asset: byOld.get(l.asset)?.printed.asset.id ?? l.asset })) },
      });
    }
  }
  return { label, edits };
}

type ByOld = ReadonlyMap<string, Renewed>;

function renewedClip(clip: Clip, byOld: ByOld, framesOf: ReadonlyMap<string, number>): Clip {
  if (clip.kind === "notes") return clip;
  if (clip.kind === "nest") {
    const children = clip.children.map((c) => renewedClip(c, byOld, framesOf) as AudioClip | NestClip);
    return children.every((c, i) => c === clip.children[i]) ? clip : { ...clip, children };
  }
  const fresh = byOld.get(clip.asset);
  if (!fresh || fresh.printed.asset.id === clip.asset) return clip;
  const { asset } = fresh.printed;
  const had = framesOf.get(clip.asset) ?? clip.offset + clip.frames;
  const stretched = (frames: number) => Math.max(1, Math.round(frames * clip.stretch));
  const reached = clip.offset + clip.frames >= stretched(had);
  const offset = Math.min(clip.offset, stretched(asset.frames) - 1);
  const room = stretched(asset.frames) - offset;
  const frames = reached ? room : Math.min(clip.frames, room);
  const held = (fade: AudioClip["fadeIn"], most: number) => ({ ...fade, frames: Math.min(fade.frames, most) });
  const fadeIn = held(clip.fadeIn, frames);
  return { ...clip, asset: asset.id, offset, frames, fadeIn, fadeOut: held(clip.fadeOut, frames - fadeIn.frames) };
}
