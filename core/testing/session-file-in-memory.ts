import type { AudioLibrary } from "../engine/library";
import { PieceCutter } from "../printing/cut";
import type { FoundMedia } from "../interchange/from-timeline";
import { mediaKey } from "../interchange/from-timeline";
import type { PrintPool, SessionFilePlan } from "../interchange/plan";
import type { MediaSource, PrintFacts } from "../interchange/media-library";
import type { SessionTimeline } from "../interchange/to-timeline";
import { toTimeline } from "../interchange/to-timeline";
import type { Timeline } from "../timeline/timeline";
import { render, sessionEnd } from "../engine/render";
import type { Heard } from "./listen";
import { hashOf, joined, memoryLibrary } from "./listen";

/** Prints made in tests are numbered from here. */
const FIRST = 700;

/** Makes the prints of a plan in memory, all in one pass, as the render process does on disk. */
export function exportInMemory(
  plan: SessionFilePlan,
  pool: PrintPool,
  library: AudioLibrary,
): { readonly telling: SessionTimeline; readonly heard: ReadonlyMap<string, Heard> } {
  const { rate } = plan.session;
  const parts = pool.prints.map(() => ({ left: [] as Float32Array[], right: [] as Float32Array[] }));
  if (pool.prints.length > 0)
    render({
      session: pool.rendered,
      library,
      from: 0,
      to: sessionEnd(plan.session),
      tail: "whole",
      taps: pool.prints.map(({ tap, from, to, rings }, i) => {
        const keep = (left: Float32Array, right: Float32Array, offset: number, count: number) => {
          parts[i]?.left.push(left.slice(offset, offset + count));
          parts[i]?.right.push(right.slice(offset, offset + count));
        };
        return {
          tap,
          sink: to === null ? keep : new PieceCutter(0, { from, to }, rings ? "whole" : "none", rate, keep).sink,
        };
      }),
    });
  const heard = new Map<string, Heard>();
  const told = new Map<string, PrintFacts>();
  pool.prints.forEach((print, i) => {
    const part = parts[i];
    const sound = { left: joined(part?.left ?? []), right: joined(part?.right ?? []) };
    const sha256 = hashOf(FIRST + i);
    heard.set(sha256, sound);
    told.set(print.id, { from: print.from, frames: sound.left.length, channels: 2, sha256 });
  });
  return { telling: toTimeline(plan, told), heard };
}

/** What a reader would have found of the media of a telling: assets that play what they were made of. */
export function foundInMemory(
  timeline: Timeline,
  sources: readonly MediaSource[],
  heard: ReadonlyMap<string, Heard>,
  sounds: Readonly<Record<string, Heard>>,
): { readonly found: ReadonlyMap<string, FoundMedia>; readonly library: AudioLibrary } {
  const found = new Map<string, FoundMedia>();
  const made: Record<string, Heard> = {};
  timeline.media.forEach((m, i) => {
    const source = sources[i];
    if (!source) return;
    const whole =
      "asset" in source.from
        ? sounds[source.from.asset]
        : heard.get(hashOf(FIRST + Number(source.from.print.split("-")[1])));
    if (!whole) return;
    const { from, to } = source.window ?? { from: 0, to: whole.left.length };
    const side = source.channel === 1 ? whole.right : whole.left;
    const [left, right] = source.channel === null ? [whole.left, whole.right] : [side, side];
    const id = hashOf(5000 + i);
    made[id] = { left: left.slice(from, to), right: right.slice(from, to) };
    const asset = {
      id,
      name: m.name,
      frames: to - from,
      rate: m.rate,
      channels: 2 as const,
      origin: "imported" as const,
    };
    found.set(mediaKey(m.id, null), { asset, isMissing: false });
  });
  return { found, library: memoryLibrary(made) };
}
