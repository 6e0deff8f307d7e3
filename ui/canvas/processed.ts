import { bendKey } from "../../core/session/clips";
import type { AudioClip, Session } from "../../core/session/document";
import type { Frames } from "../../core/units";
import type { FromOverview, ToOverview } from "../../player/overview.worker";
import { tellDrawn } from "./overviews";

/** A clip as its effects leave it: pairs of an overview from its first frame on. */
export interface Processed {
  readonly overview: Int8Array;
  /** The clip's offset when it was made: what is trimmed meanwhile is drawn from it. */
  readonly offset: Frames;
}

/** A hand that drags asks for another picture with every move: only where it rests one is made. */
const REST_MS = 350;
const MOST_KEPT = 200;

const made = new Map<string, Processed & { readonly key: string }>();
const asked = new Map<string, { readonly key: string; readonly timer: ReturnType<typeof setTimeout> }>();
/** What cannot be had is not asked for again. */
const failed = new Set<string>();
let worker: Worker | null = null;

function workerNow(): Worker {
  if (worker) return worker;
  worker = new Worker(new URL("../../player/overview.worker.ts", import.meta.url), {
    type: "module",
    name: "overview",
  });
  worker.onmessage = ({ data }: MessageEvent<FromOverview>) => {
    const [id = "", offset = "0"] = data.key.split("|");
    if (asked.get(id)?.key === data.key) asked.delete(id);
    if (!data.overview) return void failed.add(data.key);
    made.delete(id);
    made.set(id, { key: data.key, overview: data.overview, offset: Number(offset) });
    const [oldest] = made.keys();
    if (made.size > MOST_KEPT && oldest !== undefined) made.delete(oldest);
    tellDrawn();
  };
  return worker;
}

/** How a clip looks behind its own effects; null where it has none that is on, and until the first one has come. */
export function processedOf(session: Session, clip: AudioClip): Processed | null {
  if (!clip.process.some((d) => d.on)) return null;
  const key = keyOf(session, clip);
  const known = made.get(clip.id) ?? null;
  if (known?.key === key || failed.has(key) || asked.get(clip.id)?.key === key) return known;
  clearTimeout(asked.get(clip.id)?.timer);
  const { rate, tempo, meter } = session;
  const message: ToOverview = { key, clip, of: { rate, tempo, meter } };
  asked.set(clip.id, { key, timer: setTimeout(() => workerNow().postMessage(message), REST_MS) });
  return known;
}

/** Everything that the picture depends on; the clip and its offset first. */
const keyOf = ({ rate, tempo }: Session, clip: AudioClip): string =>
  [
    ...[clip.id, clip.offset, clip.start, clip.frames, clip.asset, clip.reverse, clip.stretch, clip.transposeCents],
    ...[bendKey(clip), JSON.stringify(clip.process), rate, JSON.stringify(tempo)],
    clip.ringsOn ? JSON.stringify([clip.fadeIn, clip.fadeOut]) : "",
  ].join("|");
