import { canonicalJson } from "../canonical";
import type { AudioClip, Clip, NestClip, Session, Track } from "../session/document";
import type { Edit, Step } from "../session/edits";
import type { Checked } from "../session/problem";
import { refuse } from "../session/problem";
import type { Printed } from "./print";
import { planPrint } from "./plan";
import type { PrintPlan } from "./print";
import type { Slip } from "./slip";

/** The session with the sources of a print awake, as they were when it was made. */
const awake = (session: Session, slip: Slip): Session => ({
  ...session,
  tracks: session.tracks.map((t) => (slip.tracks.includes(t.id) && t.parked ? { ...t, parked: false } : t)),
});

/** Plans a print again from its sources as they are today, parked or not. */
export function planAgain(session: Session, slip: Slip): Checked<PrintPlan> {
  if (slip.of.what === "pad") return refuse("slip", "a merged pad has no layers left to print again: reopen it");
  if (slip.afterwards === "replace" && slip.placed !== "shelf" && slip.placed !== "pad")
    return refuse("slip", "its source gave its place to the print: reopen it");
  const gone = slip.tracks.find((id) => !session.tracks.some((t) => t.id === id));
  return gone === undefined ? planPrint(awake(session, slip), slip) : refuse("slip", "its source is gone: reopen it");
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
  if (slip.of.what === "pad" || (slip.afterwards === "replace" && slip.placed !== "shelf" && slip.placed !== "pad"))
    return null;
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

/** Everything of a track but whether it rests and is shown. */
const resting = (t: Track): string => canonicalJson({ ...t, parked: false, hidden: false });

/**
 * Brings the source of a print back as it was before it, on tracks of its own, and parks what plays the print. A source
 * that is still there, parked and unchanged, is simply awake again; one that was changed, cleared or deleted since
 * comes as a copy of what it was.
 */
export function reopenStep(
  now: Session,
  before: Session,
  slip: Slip,
  asset: string,
  newId: () => string,
): Checked<{ readonly step: Step; readonly tracks: readonly string[] }> {
  if (slip.of.what === "pad") return reopenedPad(now, before, slip.of, slip.tracks[0] ?? "");
  const edits: Edit[] = [];
  const tracks: string[] = [];
  const ids = new Set(now.tracks.map((t) => t.id));
  const mix = now.tracks.find((t) => t.kind === "mix");
  let index = now.tracks.length - (mix ? 1 : 0);
  for (const id of slip.tracks) {
    const then = before.tracks.find((t) => t.id === id);
    const today = now.tracks.find((t) => t.id === id);
    if (!then || then.kind === "mix") continue;
    if (today && resting(today) === resting(then)) {
      if (today.parked || today.hidden)
        edits.push({ do: "set", in: "tracks", id, patch: { parked: false, hidden: false } });
      tracks.push(id);
      continue;
    }
    edits.push(...missing(now, before, then, edits));
    const copy: Track = {
      ...then,
      id: newId(),
      name: `${then.name || "unnamed"} as it was`,
      parked: false,
      hidden: false,
      frozen: null,
      output: then.output !== null && ids.has(then.output) ? then.output : (mix?.id ?? null),
      sends: then.sends.filter((s) => ids.has(s.to)),
      automation: then.automation.filter(
        (a) => a.target !== "send" || then.sends.some((s) => s.id === a.of && ids.has(s.to)),
      ),
      devices: then.devices.map((d) => ({ ...d, key: d.key !== null && ids.has(d.key) ? d.key : null })),
    };
    edits.push({
      do: "add",
      in: "tracks",
      item: { ...copy },
      index: today ? now.tracks.indexOf(today) + 1 + tracks.length : index,
    });
    index++;
    tracks.push(copy.id);
  }
  if (tracks.length === 0) return refuse("source", "nothing of it can be brought back");
  const plays = (t: Track) =>
    t.kind === "audio" &&
    !t.parked &&
    t.clips.length > 0 &&
    t.clips.every((c) => c.kind === "audio" && c.asset === asset);
  for (const t of now.tracks)
    if (plays(t) && !slip.tracks.includes(t.id))
      edits.push({ do: "set", in: "tracks", id: t.id, patch: { parked: true } });
  if (edits.length === 0) return refuse("source", "its source is there as it was");
  const names = slip.tracks.flatMap((id) => before.tracks.find((t) => t.id === id)?.name ?? []);
  return {
    ok: true,
    value: { tracks, step: { label: `Reopen ${names.join(", ") || "the source"}`.slice(0, 200), edits } },
  };
}

/** A merged pad gets the layers back that it had. */
function reopenedPad(
  now: Session,
  before: Session,
  of: { readonly device: string; readonly pad: number },
  id: string,
): Checked<{ readonly step: Step; readonly tracks: readonly string[] }> {
  const [then, today] = [before, now].map((s) =>
    s.tracks.find((t) => t.id === id)?.devices.find((d) => d.id === of.device),
  );
  if (!then || !today) return refuse("source", "the kit is gone");
  const layers = then.layers.filter((l) => l.pad === of.pad);
  const assets = before.assets.filter(
    (a) => layers.some((l) => l.asset === a.id) && !now.assets.some((b) => b.id === a.id),
  );
  return {
    ok: true,
    value: {
      tracks: [id],
      step: {
        label: "Reopen a merged pad",
        edits: [
          ...assets.map((a, i): Edit => ({ do: "add", in: "assets", item: { ...a }, index: now.assets.length + i })),
          {
            do: "set",
            in: "devices",
            track: id,
            id: of.device,
            patch: { layers: [...today.layers.filter((l) => l.pad !== of.pad), ...layers] },
          },
        ],
      },
    },
  };
}

/** Phrases and audio that a track of then needs and the session of now no longer has. */
function missing(now: Session, before: Session, track: Track, made: readonly Edit[]): readonly Edit[] {
  const has = (list: "phrases" | "assets", id: string) =>
    now[list].some((x) => x.id === id) || made.some((e) => e.do === "add" && e.in === list && e.item["id"] === id);
  const text = JSON.stringify(track);
  const phrases = before.phrases.filter((p) => !has("phrases", p.id) && text.includes(`"${p.id}"`));
  const assets = before.assets.filter((a) => !has("assets", a.id) && text.includes(`"${a.id}"`));
  return [
    ...phrases.map((p, i): Edit => ({ do: "add", in: "phrases", item: { ...p }, index: now.phrases.length + i })),
    ...assets.map((a, i): Edit => ({ do: "add", in: "assets", item: { ...a }, index: now.assets.length + i })),
  ];
}
