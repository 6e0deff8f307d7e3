import { z } from "zod";
import { sessionEnd } from "../../core/engine/render";
import { planExport, withoutStems } from "../../core/delivery/plan";
import { sessionKinds } from "../../core/interchange/kinds";
import { hoursTooLong } from "../../core/limits";
import { sayTooLong } from "../../core/words/limits";
import { jobKind, passSince } from "./kind";
import { sayPlanned } from "../../core/words/refusals";

/** Renders the stem sheet into one package; its proof follows as a job of its own. */
export const exportStems = jobKind({
  request: {
    /** An earlier export that this one carries on: files that are still the same are taken from it. */
    since: z.string().nullable().default(null),
    /** Whether those are in the package again, or only what changed is. */
    full: z.boolean().default(true),
    /** The session files of the sheet alone, without stems and mixes. */
    only: z.enum(["session files"]).nullable().default(null),
  },
  result: { handoff: z.string(), since: passSince },
  priority: 1,
  impossible(session, { only }) {
    const plan = sayPlanned(planExport(only === "session files" ? withoutStems(session) : session), "sheet");
    const hours = hoursTooLong(sessionEnd(session), session.rate);
    const tooLong = session.sheet.sessionFiles.flatMap(({ kind }) =>
      hours !== null && sessionKinds[kind].carries ? [{ where: sessionKinds[kind].name, what: sayTooLong(hours) }] : [],
    );
    const problems = [...(plan.ok ? [] : plan.problems), ...tooLong];
    return problems.length === 0
      ? null
      : {
          what: "The stem sheet cannot be exported.",
          problems,
          todo: "Fix the sheet and export again.",
        };
  },
});
