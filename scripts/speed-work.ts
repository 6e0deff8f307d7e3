import { mkdirSync, writeFileSync } from "node:fs";
import { availableParallelism } from "node:os";
import { join } from "node:path";
import type { Tap } from "../core/engine/tap";
import type { Session } from "../core/session/document";
import { AudioStore } from "../server/audio/store";
import type { OutputFile } from "../worker/files/output-file";
import { ThreadPool } from "../worker/threads/threads";

/** One piece of work for the speed report, as a process of its own so that it is measured like the tools beside it. */
export interface SpeedWork {
  readonly session: Session;
  readonly dataRoot: string;
  readonly out: string;
  readonly frames: number;
  /** `prints`: the first forty tracks as one plan of the print slip. */
  readonly what: "mix" | "stems" | "prints";
  readonly threads?: number;
}

/** How many tracks are printed at once. */
export const PRINTS = 40;

export const NO_BEXT: OutputFile["bext"] = {
  description: "",
  originator: "",
  originatorReference: "",
  originationDate: "",
  originationTime: "",
  timeReference: 0,
  loudness: null,
};

export async function doWork({
  session,
  dataRoot,
  out,
  frames,
  what,
  threads = availableParallelism(),
}: SpeedWork): Promise<void> {
  mkdirSync(out, { recursive: true });
  await new AudioStore(dataRoot).prepare(false);
  const pool = new ThreadPool(new URL("./task.thread.mjs", import.meta.url));
  const signal = new AbortController().signal;
  const format = { rate: session.rate, channels: 2, depth: "24" } as const;
  if (what === "prints") {
    const { planPrint } = await import("../core/printing/plan");
    const { plainSlip } = await import("../core/printing/slip");
    const plan = planPrint(session, {
      ...plainSlip(
        session.tracks
          .filter((t) => t.kind === "audio")
          .slice(0, PRINTS)
          .map((t) => t.id),
      ),
      depth: "24",
    });
    if (!plan.ok) throw new Error("the tracks cannot be printed");
    const files = plan.value.files.map((f, i): OutputFile => ({
      tap: f.tap,
      path: join(out, `${i}.wav`),
      format,
      ditherSeed: i,
      bext: NO_BEXT,
      foldMono: true,
      cut: { from: f.from, to: f.to },
    }));
    await pool.render(
      { kind: "render", session: plan.value.session, files, from: 0, to: frames, tail: plan.value.tail, dataRoot },
      threads,
      { signal },
    );
    return pool.close();
  }
  const tracks = session.tracks
    .filter((t) => t.kind === "audio")
    .map((t): Tap => ({ kind: "path", sources: [t.id], at: "group", returns: false, linked: false }));
  const taps: readonly Tap[] = [...(what === "stems" ? tracks : []), { kind: "mix", at: "after its chain" }];
  const written = await pool.render(
    {
      kind: "render",
      session,
      from: 0,
      to: frames,
      tail: "none",
      dataRoot,
      files: taps.map((tap, i): OutputFile => ({
        tap,
        path: join(out, `${String(i).padStart(2, "0")}.wav`),
        format,
        ditherSeed: i,
        bext: NO_BEXT,
        foldMono: false,
        // As the application renders them: with checkpoints.
        order: `${what} ${i}`,
      })),
      lane: what,
    },
    threads,
    { signal },
  );
  if (what === "stems") {
    writeFileSync(
      join(out, "measures.json"),
      JSON.stringify(written.map(({ measures, sha256 }) => ({ ...measures, sha256 }))),
    );
  }
  await pool.close();
}
