import { z } from "zod";
import { planFreeze } from "../../core/printing/freeze";
import { jobKind, passSince, passSpeed, silentSchema } from "./kind";
import { sayPlanned } from "../../core/words/refusals";

/** Renders tracks after their devices and lets them play that. */
export const freeze = jobKind({
  request: { tracks: z.array(z.string()).min(1).max(1000) },
  result: {
    prints: z.array(
      z.strictObject({
        track: z.string(),
        asset: z.string(),
        frames: z.int(),
        reused: z.boolean(),
        peakDb: z.number().nullable(),
        lufs: z.number().nullable(),
        tailFrames: z.int(),
      }),
    ),
    speed: passSpeed,
    since: passSince,
    silent: silentSchema,
  },
  priority: 0,
  impossible(session, { tracks }) {
    const plan = sayPlanned(planFreeze(session, tracks), "tracks");
    return plan.ok
      ? null
      : {
          what: "These tracks cannot be frozen.",
          problems: plan.problems,
          todo: "Choose other tracks, or fix what is listed.",
        };
  },
});
