import type { Listen } from "../../core/printing/findings";
import { EDGE_S, attackFindings, clippedFindings, endFindings } from "../../core/printing/findings";
import { seamOf } from "../../core/printing/seam";
import { AudioStore } from "../../server/audio/store";
import type { PrintedFacts } from "../../contract/jobs/kind";
import type { Measures } from "../../core/analysis/measure";
import type { Finding } from "../../core/printing/findings";
import type { PrintFile, PrintPlan } from "../../core/printing/print";
import type { Session } from "../../core/session/document";
import type { Frames } from "../../core/units";

/** Listens to finished prints, and to the clips they were made of. */
export interface ListenToPrintsTask {
  readonly kind: "listen to prints";
  readonly document: Session;
  readonly plan: Pick<PrintPlan, "slip" | "tail">;
  readonly prints: readonly {
    readonly file: PrintFile;
    readonly hash: string;
    readonly frames: Frames;
    readonly rate: number;
    readonly measures: Measures;
  }[];
  readonly dataRoot: string;
}

/** What is found in one of them. */
export type HeardPrint = Pick<PrintedFacts, "seam"> & { readonly findings: readonly Finding[] };

/** Listens to finished prints, and to the clips they were made of. */
export function listenToPrints({ document, plan, prints, dataRoot }: ListenToPrintsTask): readonly HeardPrint[] {
  const library = new AudioStore(dataRoot).library();
  const listen: Listen = (asset, from, count) => {
    const audio = library.find(asset);
    const n = Math.max(0, Math.min(count, audio.frames - from));
    const [left, right] = [new Float32Array(n), new Float32Array(n)];
    if (n > 0) audio.read(from, n, left, right, 0);
    return [left, right];
  };
  try {
    return prints.map(({ file, hash, frames, rate, measures }) => {
      const n = Math.min(frames, Math.round(EDGE_S * rate));
      const edges = { first: listen(hash, 0, n), last: listen(hash, frames - n, n) };
      return {
        seam: plan.slip.seam.by === "none" ? null : seamOf(edges),
        findings: [
          ...clippedFindings(measures),
          ...attackFindings(document, file, plan.slip.clips, listen),
          ...endFindings(file, plan, edges, measures),
        ],
      };
    });
  } finally {
    library.close();
  }
}
