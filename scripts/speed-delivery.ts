import { rmSync } from "node:fs";
import { harbourLamps } from "../demo/harbour-lamps";
import { storeDemoAudio } from "../demo/seed";
import type { Session, Sheet } from "../core/session/document";
import { planExport } from "../core/delivery/plan";
import { fillSheet } from "../core/delivery/sheet";
import { AudioStore } from "../server/audio/store";
import type { EarlierPackage, MadePackage } from "../worker/delivery/order";
import { makePackage } from "../worker/delivery/make-package";
import type { ThreadPool } from "../worker/threads/threads";

export interface DeliveryFigure {
  readonly work: "changed" | "formats";
  readonly what: string;
  /** Seconds, and what it may take as a part of the other. */
  readonly ours: number;
  readonly theirs: number;
  readonly target: number;
}

const TURNS = 3;
const THREADS = 2;
/** The track of the demo that sends nothing and runs straight into the mix: its fader moves one stem. */
const LONER = "horn";
const DATE = new Date("2026-02-03T04:05:06Z");

const middle = (list: readonly number[]) => [...list].sort((x, y) => x - y)[list.length >> 1] ?? NaN;

/**
 * Whole packages of the demo on two threads, from the plan to the ZIP: after one fader move on an earlier package, and
 * in other formats than WAV. Turn by turn; medians.
 */
export async function measureDeliveries(folder: string, pool: ThreadPool): Promise<readonly DeliveryFigure[]> {
  const store = new AudioStore(folder);
  const demo = harbourLamps(await storeDemoAudio(store, () => Promise.resolve()));
  const withSheet = (sheet: Partial<Sheet>, session = demo): Session => ({
    ...session,
    sheet: { ...session.sheet, rows: fillSheet(session).rows, ...sheet },
  });
  const make = async (session: Session, earlier: EarlierPackage | null): Promise<MadePackage & { seconds: number }> => {
    const plan = planExport(session, DATE);
    if (!plan.ok) throw new Error("the demo cannot be delivered");
    const began = performance.now();
    const made = await makePackage(
      { session, id: "speed", revision: 1, plan: plan.value, date: DATE, dataRoot: folder, earlier },
      { store, pool, threads: THREADS, signal: new AbortController().signal, report: () => undefined },
    );
    return { ...made, seconds: (performance.now() - began) / 1000 };
  };
  const drop = (made: MadePackage) => {
    for (const path of [made.zipPath, ...(made.whole ? [made.whole.path] : [])]) rmSync(path, { force: true });
  };
  const louder = (session: Session): Session => ({
    ...session,
    tracks: session.tracks.map((t) => (t.id === LONER ? { ...t, faderDb: t.faderDb - 1 } : t)),
  });
  const figures: DeliveryFigure[] = [];
  for (const [mixes, target] of [
    [[], 0.25],
    [["after its chain"], 0.75],
  ] as const) {
    const [full, changed]: [number[], number[]] = [[], []];
    for (let turn = 0; turn < TURNS; turn++) {
      const before = withSheet({ mixes: [...mixes] });
      const first = await make(before, null);
      const earlier = {
        handoff: "speed",
        manifest: first.manifest,
        facts: first.facts,
        path: first.zipPath,
        full: true,
      };
      const second = await make(louder(before), earlier);
      const unchanged = second.manifest.since?.unchanged.length ?? 0;
      if (unchanged !== first.manifest.files.length - 1 - mixes.length || second.manifest.since?.whyAll)
        throw new Error(`${unchanged} files were taken over`);
      full.push(first.seconds);
      changed.push(second.seconds);
      drop(first);
      drop(second);
    }
    const what = mixes.length === 0 ? "without a reference mix" : "with a reference mix";
    figures.push({ work: "changed", what, ours: middle(changed), theirs: middle(full), target });
  }
  const took: Record<Sheet["format"], number[]> = { wav: [], aiff: [], flac: [] };
  for (let turn = 0; turn < TURNS; turn++)
    for (const format of ["wav", "aiff", "flac"] as const) {
      const made = await make(withSheet({ format }), null);
      took[format].push(made.seconds);
      drop(made);
    }
  for (const format of ["aiff", "flac"] as const)
    figures.push({
      work: "formats",
      what: format.toUpperCase(),
      ours: middle(took[format]),
      theirs: middle(took.wav),
      target: 1.5,
    });
  return figures;
}
