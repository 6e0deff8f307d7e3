import { rmSync } from "node:fs";
import { join } from "node:path";
import { pathToFileURL } from "node:url";
import { liveFor, planFreeze } from "../core/printing/freeze";
import { passOf, planExport } from "../core/delivery/plan";
import { MIX_BEFORE } from "../core/engine/tap";
import { harbourLamps } from "../demo/harbour-lamps";
import { storeDemoAudio } from "../demo/seed";
import { AudioStore } from "../server/audio/store";
import { checkpointFolder } from "../server/paths";
import type { OutputFile } from "../worker/files/output-file";
import { ThreadPool } from "../worker/threads/threads";
import { CHECKOUT } from "./build";
import { NO_BEXT } from "./speed-work";

import type { Row } from "./speed-row";
import { printRow } from "./speed-row";

export const BUNDLE = "dist/speed";

/** How many times as fast as it plays the demo's stems shall be rendered by two threads. */
const DEMO_TIMES = 20;

const middle = (list: readonly number[]) => [...list].sort((x, y) => x - y)[list.length >> 1] ?? NaN;

/**
 * The demo: its instruments frozen in one job by two threads and by one, and all its stems with the reference mix, by
 * threads that are up as in a render process. Turn by turn; medians.
 */
export async function compareDemo(folder: string): Promise<readonly Row[]> {
  const store = new AudioStore(folder);
  const session = harbourLamps(await storeDemoAudio(store, () => Promise.resolve()));
  const instruments = session.tracks.filter((t) => t.kind === "instrument").map((t) => t.id);
  const [plan, stems] = [planFreeze(session, instruments), planExport(session)];
  if (!plan.ok || !stems.ok) throw new Error("the demo cannot be rendered");
  const pool = new ThreadPool(pathToFileURL(join(CHECKOUT, BUNDLE, "task.thread.mjs")));
  const options = { signal: new AbortController().signal };
  const timed = async (files: readonly OutputFile[], work: () => Promise<unknown>): Promise<number> => {
    const began = performance.now();
    await work();
    const seconds = (performance.now() - began) / 1000;
    for (const f of files) rmSync(f.path, { force: true });
    return seconds;
  };
  const freeze = (threads: number) => {
    const files = plan.value.map((f): OutputFile => ({
      tap: f.tap,
      path: store.unfinished(),
      format: { rate: session.rate, channels: 2, depth: "32f" },
      ditherSeed: null,
      bext: NO_BEXT,
      foldMono: true,
      cut: { from: 0, to: f.to },
    }));
    return timed(files, () =>
      pool.renderEach(
        {
          kind: "render",
          session: liveFor(session, instruments),
          files,
          from: 0,
          to: Math.max(...plan.value.map((f) => f.to)),
          tail: "whole",
          dataRoot: folder,
        },
        threads,
        options,
      ),
    );
  };
  const deliver = () => {
    // With checkpoints, as the application renders a first package.
    rmSync(checkpointFolder(folder), { recursive: true, force: true });
    const files = [...stems.value.files.map((f) => f.tap), MIX_BEFORE].map((tap, i): OutputFile => ({
      order: String(i),
      tap,
      path: store.unfinished(),
      format: { rate: session.rate, channels: 2, depth: "24" },
      ditherSeed: i,
      bext: NO_BEXT,
      foldMono: true,
    }));
    return timed(files, () =>
      pool.render(
        {
          kind: "render",
          ...passOf(session, stems.value),
          files,
          lane: "demo",
          dataRoot: folder,
        },
        2,
        options,
      ),
    );
  };
  await freeze(2);
  const [one, two, delivered]: [number[], number[], number[]] = [[], [], []];
  for (let turn = 0; turn < 3; turn++) {
    two.push(await freeze(2));
    one.push(await freeze(1));
    delivered.push(await deliver());
  }
  await pool.close();
  console.log(
    `\nfreeze: every instrument of the demo, two threads; ${(middle(one) / middle(two)).toFixed(2)} times as fast as one`,
  );
  const rows = [
    printRow({
      work: "freeze",
      measure: "wall",
      ours: middle(two),
      against: "one thread",
      theirs: middle(one),
      ratio: middle(two) / middle(one),
    }),
  ];
  const seconds = (stems.value.to - stems.value.from) / session.rate;
  console.log(
    `\ndemo: all stems and the reference mix in one pass, ${(seconds / middle(delivered)).toFixed(1)}x real time`,
  );
  const allowed = seconds / DEMO_TIMES;
  return [
    ...rows,
    printRow({
      work: "demo",
      measure: "wall",
      ours: middle(delivered),
      against: "target",
      theirs: allowed,
      ratio: middle(delivered) / allowed,
    }),
  ];
}
