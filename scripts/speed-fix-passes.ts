import { rmSync } from "node:fs";
import { join } from "node:path";
import { pathToFileURL } from "node:url";
import { MIX_AFTER, type Tap } from "../core/engine/tap";
import { makeAudioClip } from "../core/session/build";
import type { Session } from "../core/session/document";
import { AudioStore } from "../server/audio/store";
import { checkpointFolder } from "../server/paths";
import type { OutputFile, WrittenFile } from "../worker/files/output-file";
import type { EarlierAudio } from "../worker/render/splice";
import { ThreadPool } from "../worker/threads/threads";
import { CHECKOUT } from "./build";
import { BUNDLE } from "./speed-demo";
import type { Material } from "./speed-rivals";
import type { Row } from "./speed-row";
import { printRow } from "./speed-row";
import { NO_BEXT } from "./speed-work";

const PLACES = [0.1, 0.5, 0.9] as const;

/** The session with one of its tracks cut at a part of its length and one frame of the recording left out there. */
const withCut = (session: Session, frames: number, part: number): Session => {
  const at = Math.round(frames * part);
  const [first, ...others] = session.tracks;
  const asset = session.assets[0]?.id ?? "";
  if (!first) return session;
  const clips = [
    makeAudioClip({ id: "c0", asset, start: 0, frames: at }),
    makeAudioClip({ id: "fix", asset, start: at, frames: frames - at - 1, offset: at + 1 }),
  ];
  return { ...session, tracks: [{ ...first, clips }, ...others] };
};

/**
 * A mix of 48 tracks, and their stems with the mix, on all threads: with checkpoints and without, and after an edit of
 * one track at three places, from the last checkpoint before it, beside a whole render of the same edit.
 */
export async function measureFixOfPasses(folder: string, { session, frames }: Material): Promise<readonly Row[]> {
  const store = new AudioStore(folder, null);
  await store.prepare(false);
  const pool = new ThreadPool(pathToFileURL(join(CHECKOUT, BUNDLE, "task.thread.mjs")));
  const stems = session.tracks
    .filter((t) => t.kind === "audio")
    .map((t): Tap => ({ kind: "path", sources: [t.id], at: "group", returns: false, linked: false }));
  const rows: Row[] = [];
  for (const work of ["fix mix48", "fix stems48"] as const) {
    const taps = [...(work === "fix stems48" ? stems : []), MIX_AFTER];
    const render = async (of: Session, ordered: boolean, earlier: readonly EarlierAudio[]) => {
      const files = taps.map((tap, i): OutputFile => ({
        ...{ tap, path: store.unfinished(), ditherSeed: i, bext: NO_BEXT, foldMono: false },
        format: { rate: of.rate, channels: 2, depth: "24" },
        ...(ordered ? { order: `${work} ${i}` } : {}),
      }));
      const began = performance.now();
      const written = await pool.render(
        {
          ...{ kind: "render", session: of, files, from: 0, to: frames, tail: "none" },
          ...{ dataRoot: folder, lane: work, earlier },
        },
        2,
        { signal: new AbortController().signal },
      );
      return { written, seconds: (performance.now() - began) / 1000 };
    };
    const remove = (files: readonly WrittenFile[]) => files.forEach(({ path }) => rmSync(path, { force: true }));
    console.log(`\n${work}`);
    const plain = await render(session, false, []);
    remove(plain.written);
    const taking = await render(session, true, []);
    const row = (against: Row["against"], ours: number, theirs: number) =>
      rows.push(printRow({ work, measure: "wall", ours, against, theirs, ratio: ours / theirs }));
    row("without checkpoints", taking.seconds, plain.seconds);
    const earlier = taking.written.map(({ sha256, path, bytes }) => ({ sha256, path, bytes, start: 0 }));
    for (const part of PLACES) {
      const edited = withCut(session, frames, part);
      const spliced = await render(edited, true, earlier);
      remove(spliced.written);
      const whole = await render(edited, false, []);
      remove(whole.written);
      if (whole.written.some((file, i) => file.sha256 !== spliced.written[i]?.sha256))
        throw new Error("a spliced file is not a whole one");
      row(`all of it, edited at ${100 * part} %`, spliced.seconds, whole.seconds);
    }
    remove(taking.written);
    rmSync(checkpointFolder(folder), { recursive: true, force: true });
  }
  await pool.close();
  return rows;
}
