import { z } from "zod";
import { planExport, withoutStems } from "../../core/delivery/plan";
import { sessionKinds } from "../../core/interchange/kinds";
import { whyNotTold } from "../../core/interchange/plan";
import { jobKind } from "./kind";

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
  result: { handoff: z.string() },
  title: "Exporting",
  subject: "export",
  cancelled: "Export cancelled. Nothing was kept of it.",
  priority: 1,
  shown: true,
  impossible(session, { only }) {
    const plan = planExport(only === "session files" ? withoutStems(session) : session);
    const untold = session.sheet.sessionFiles.flatMap((file, i) => {
      const { carries } = sessionKinds[file.kind];
      const why = carries && whyNotTold(session);
      return why ? [{ ...why, where: `sheet.sessionFiles[${i}].${why.where}` }] : [];
    });
    const problems = [...(plan.ok ? [] : plan.problems), ...untold];
    return problems.length === 0
      ? null
      : {
          what: "The stem sheet cannot be exported.",
          problems,
          todo: "Mend the sheet and export again.",
        };
  },
});
