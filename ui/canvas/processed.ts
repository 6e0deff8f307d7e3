import { bendKey } from "../../core/session/clips";
import type { AudioClip, Session } from "../../core/session/document";
import type { Frames } from "../../core/units";
import type { FromOverview, Seen, ToOverview } from "../../player/overview.worker";
import type { CloseUp } from "./close-up";
import { BLOCK, closeUp } from "./close-up";
import { requestRedraw } from "./overviews";

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
const waiting = new Map<number, (seen: Seen) => void>();
let asking = 0;

/** Asks the worker; it answers one after the other. */
function ask(wanted: Omit<ToOverview, "id">): Promise<Seen> {
  if (!worker) {
    worker = new Worker(new URL("../../player/overview.worker.ts", import.meta.url), {
      type: "module",
      name: "overview",
    });
    worker.onmessage = ({ data: { id, ...seen } }: MessageEvent<FromOverview>) => {
      waiting.get(id)?.(seen);
      waiting.delete(id);
    };
  }
  const to = worker;
  const id = asking++;
  return new Promise((resolve) => {
    waiting.set(id, resolve);
    to.postMessage({ ...wanted, id } satisfies ToOverview);
  });
}

function come(key: string, { id, offset }: AudioClip, overview: Seen["overview"]): void {
  if (asked.get(id)?.key === key) asked.delete(id);
  if (!overview) return void failed.add(key);
  made.delete(id);
  made.set(id, { key, overview, offset });
  const [oldest] = made.keys();
  if (made.size > MOST_KEPT && oldest !== undefined) made.delete(oldest);
  requestRedraw();
}

/** How a clip looks behind its own effects; null where it has none that is on, and until the first one has come. */
export function processedOf(session: Session, clip: AudioClip): Processed | null {
  if (!clip.process.some((d) => d.on)) return null;
  const key = keyOf(session, clip);
  const known = made.get(clip.id) ?? null;
  if (known?.key === key || failed.has(key) || asked.get(clip.id)?.key === key) return known;
  clearTimeout(asked.get(clip.id)?.timer);
  const timer = setTimeout(() => {
    void ask({ clip, of: partOf(session), samples: null }).then(({ overview }) => come(key, clip, overview));
  }, REST_MS);
  asked.set(clip.id, { key, timer });
  return known;
}

const partOf = ({ rate, tempo, meter }: Session): ToOverview["of"] => ({ rate, tempo, meter });

/** Both sides of a block come together, and are asked for apart. */
const blocks = new Map<string, Promise<Seen>>();

/** Samples of a clip behind its effects, between two of its frames; null as long as they are not here. */
export function processedCloseUp(session: Session, clip: AudioClip, from: number, to: number): readonly CloseUp[] {
  const key = keyOf(session, clip);
  // While the overview is on its way, a hand may still be dragging.
  if (made.get(clip.id)?.key !== key) return [];
  const both = (index: number): Promise<Seen> => {
    const block = `${key} ${index}`;
    const wanted =
      blocks.get(block) ?? ask({ clip, of: partOf(session), samples: { from: index * BLOCK, count: BLOCK } });
    blocks.set(block, wanted);
    void wanted.then(() => blocks.delete(block));
    return wanted;
  };
  const sides = (["left", "right"] as const).map((side) =>
    closeUp(`${key} ${side}`, async (index) => (await both(index))[side] ?? null, from, to),
  );
  return sides.every((s) => s !== null) ? sides : [];
}

/** Everything that the picture depends on; the clip and its offset first. */
const keyOf = ({ rate, tempo }: Session, clip: AudioClip): string =>
  [
    ...[clip.id, clip.offset, clip.start, clip.frames, clip.asset, clip.reverse, clip.stretch, clip.transposeCents],
    ...[bendKey(clip), JSON.stringify(clip.process), rate, JSON.stringify(tempo)],
    clip.ringsOn ? JSON.stringify([clip.fadeIn, clip.fadeOut]) : "",
  ].join("|");
