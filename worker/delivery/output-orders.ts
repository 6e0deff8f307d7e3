import type { ExportPlan, StemFile } from "../../core/delivery/plan";
import type { Stamps } from "../../core/delivery/stamps";
import { bextOf } from "../../core/delivery/stamps";
import type { Tap } from "../../core/engine/tap";
import { seedFrom } from "../../core/random";
import type { OutputOrder } from "../render/output-key";

/** A delivered file as it is ordered of the render. */
export const stemOrder = (file: StemFile, plan: ExportPlan, stamps: Stamps): OutputOrder => ({
  tap: file.tap,
  foldMono: !file.keepsStereo && file.format !== "mp3",
  format: { rate: plan.rate, channels: 2, depth: plan.depth },
  ditherSeed: plan.dither && plan.depth !== "32f" ? seedFrom(file.fileName) : null,
  bext: stamps.bext,
  chunks: { stereo: stamps.stereo, mono: stamps.mono },
  leadFrames: plan.leadFrames,
  trims: plan.ends === "trimmed",
  ...(file.fold ? { fold: file.fold } : {}),
  ...(file.format === "wav" ? {} : { make: { as: file.format, label: stamps.label } }),
});

/** The mix that the stems should add up to, in float. */
export const wholeOutput = (tap: Tap, plan: ExportPlan, date: Date): OutputOrder => ({
  tap,
  foldMono: false,
  format: { rate: plan.rate, channels: 2, depth: "32f" },
  ditherSeed: null,
  bext: bextOf("What the stems add up to", plan, { date }),
  leadFrames: plan.leadFrames,
});
