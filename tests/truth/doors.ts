import { rmSync, statSync } from "node:fs";
import { harbourLamps } from "../../demo/harbour-lamps";
import { storeDemoAudio } from "../../demo/seed";
import { gainToDb } from "../../core/math";
import type { FoundMedia } from "../../core/interchange/from-timeline";
import { fromTimeline, mediaKey } from "../../core/interchange/from-timeline";
import type { Session, SessionFile } from "../../core/session/document";
import { sessionFileSchema } from "../../core/session/document";
import type { AudioLibrary } from "../../core/engine/library";
import type { Tap } from "../../core/engine/tap";
import { listen, tapAt } from "../../core/testing/listen";
import { openArrival } from "../../worker/candidates/look";
import { makeSessionFiles } from "../../worker/delivery/session-files";
import type { WrittenFile } from "../../worker/files/output-file";
import type { Workshop } from "./deliveries";

export interface DoorFigure {
  readonly kind: SessionFile["kind"];
  readonly tracks: number;
  readonly clips: number;
  readonly bytes: number;
  /** Peak of what is left of the tap when what came back is taken from it, of the worst track. */
  readonly worstDb: number;
  readonly worst: string;
}

const KINDS = ["aaf", "adl", "otio", "dawproject"] as const;

/**
 * The demo as session files on disk, read back, opened and played: every track that came back against the tap that was
 * told, from the first frame to the last.
 */
export async function demoThroughDoors({ store, pool, dataRoot }: Workshop): Promise<readonly DoorFigure[]> {
  const demo = harbourLamps(await storeDemoAudio(store, () => Promise.resolve()));
  const signal = new AbortController().signal;
  const library = store.library();
  const figures: DoorFigure[] = [];
  try {
    for (const kind of KINDS) {
      const how = sessionFileSchema.parse({ kind, printDepth: "32f", audio: kind === "adl" ? "beside" : "inside" });
      const made = await makeSessionFiles(
        { session: demo, id: "demo", revision: 0, date: new Date(0), dataRoot, wanted: [how], bundle: null },
        { store, pool, threads: 2, signal, report: () => undefined },
      );
      const [facts] = await made.facts;
      const files = made.packed
        .filter((p) => !p.name.endsWith(".txt"))
        .map((p) => ({ stored: p.path, path: p.name.replace(/^Session files\//, "") }));
      const candidate = `${kind}:${files[0]?.path ?? ""}`;
      const opened = await openArrival({ kind: "open arrival", files, dataRoot, candidate }, () => true);
      const found = new Map<string, FoundMedia>();
      const pieces = new Map(opened.pieces.map((p) => [p.media, p.piece]));
      for (const { media, channel } of opened.timeline.tracks.flatMap((t) => t.clips)) {
        const key = mediaKey(media, channel);
        if (found.has(key)) continue;
        const pick = channel === null ? {} : { pick: channel };
        // The sides of a stereo track may lie in two files.
        const pair = opened.pairs.find((p) => p.id === media);
        const sides: WrittenFile[] = [];
        for (const id of pair ? [pair.left.id, pair.right.id] : [media]) {
          const from = pieces.get(id);
          if (!from) throw new Error(`${id} is not there`);
          const task = { kind: "import", from, to: store.unfinished(), name: media, rate: demo.rate, ...pick } as const;
          const [imported] = await pool.run<"import">(task, { signal });
          if (!imported) throw new Error(`${media} holds no sound`);
          sides.push(imported.file);
        }
        const [left, right] = sides;
        if (!left) throw new Error(`${media} holds no sound`);
        const join = { kind: "join sides", left: left.path, right: right?.path ?? "", to: store.unfinished() } as const;
        const { frames, format, sha256, path } = right ? await pool.run<"join sides">(join, { signal }) : left;
        await store.adopt(path, sha256);
        const asset = { id: sha256, name: media, frames, rate: format.rate, channels: format.channels } as const;
        found.set(key, { asset: { ...asset, origin: "imported" }, isMissing: false });
      }
      let n = 0;
      const { session } = fromTimeline(opened.timeline, found, { newId: () => `id-${n++}`, rate: demo.rate });
      figures.push({
        kind,
        tracks: session.tracks.length - 1,
        clips: facts?.clips ?? 0,
        bytes: made.packed.reduce((sum, p) => sum + statSync(p.path).size, 0),
        ...worstOf(demo, session, library.find),
      });
      for (const path of made.scratch) rmSync(path, { force: true });
    }
    return figures;
  } finally {
    library.close();
  }
}

function worstOf(demo: Session, session: Session, library: AudioLibrary): Pick<DoorFigure, "worstDb" | "worst"> {
  let [worstDb, worst] = [-Infinity, ""];
  const played = demo.tracks.filter((t) => (t.kind === "audio" || t.kind === "instrument") && !t.mute && !t.parked);
  for (const track of played) {
    const back = session.tracks.filter((t) => t.name === track.name || t.name.startsWith(`${track.name} (`));
    // Some kinds of file have no track without a name: it is called by its number there.
    const same = track.name === "" ? session.tracks.filter((t) => /^(Track \d+)?$/.test(t.name)) : back;
    // A kind of file that has no pan for a stereo track has one for each of its sides.
    const sides = ["L", "R"].map((side) => session.tracks.find((t) => t.name === `${track.name} ${side}`));
    const isSides = same.length === 0 && sides.every((t) => t !== undefined);
    const heard = isSides ? sides.flatMap((t) => t ?? []) : same;
    if (heard.length === 0)
      throw new Error(`"${track.name}" is none of ${session.tracks.map((t) => t.name).join(", ")}`);
    // What has devices was printed behind them; what has none is as it is at its clips.
    const told: readonly Tap[] = [tapAt("devices", track.id)];
    const [was] = listen(demo, told, { library });
    const parts = listen(
      session,
      heard.map((t) => tapAt("clip", t.id)),
      { library },
    );
    let peak = 0;
    for (const [s, side] of (["left", "right"] as const).entries()) {
      const own = isSides ? parts.slice(s, s + 1) : parts;
      const length = was?.[side].length ?? 0;
      for (let f = 0; f < length; f++) {
        const sum = own.reduce((all, p) => all + (p[side][f] ?? 0), 0);
        peak = Math.max(peak, Math.abs((was?.[side][f] ?? 0) - sum));
      }
    }
    const db = gainToDb(peak);
    if (db > worstDb) [worstDb, worst] = [db, track.name];
  }
  return { worstDb, worst };
}
