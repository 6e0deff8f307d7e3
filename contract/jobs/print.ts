import { z } from "zod";
import { planPrint } from "../../core/printing/plan";
import { slipSchema } from "../../core/printing/slip-schema";
import { jobKind, madeSchema, passSince, passSpeed, printedSchema, silentSchema } from "./kind";
import { sayPlanned } from "../../core/words/refusals";

/** Renders a slip and puts it where it says. */
export const print = jobKind({
  request: { slip: slipSchema },
  result: {
    prints: z.array(printedSchema),
    made: madeSchema,
    speed: passSpeed,
    since: passSince,
    silent: silentSchema,
    /** Why it cannot sound the same; null: it is being checked that it does. */
    differs: z.string().nullable(),
    /** Whether the print takes its source's place; else it is muted beside it, on the shelf or on a pad. */
    heard: z.boolean().default(true),
    /**
     * Whether that it differs was known before it was rendered; else it is measured, as where nothing speaks against
     * it.
     */
    certain: z.boolean().default(true),
  },
  priority: 0,
  impossible(session, { slip }) {
    const plan = sayPlanned(planPrint(session, slip));
    return plan.ok
      ? null
      : {
          what: "This cannot be printed.",
          problems: plan.problems,
          todo: "Choose otherwise in the slip, or fix what is listed.",
        };
  },
});
