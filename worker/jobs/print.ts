import { randomUUID } from "node:crypto";
import { planPrint } from "../../core/printing/plan";
import { slipSchema } from "../../core/printing/slip-schema";
import { madeBy, printStep } from "../../core/printing/step";
import { sayReason } from "../../core/words/reasons";
import { seedFrom } from "../../core/random";
import { requestJob } from "../../server/services/jobs";
import { readDocument } from "../../server/services/sessions";
import { appendStep } from "../../server/services/steps";
import type { CarryOut } from "../context/job-context";
import { done, orFail } from "../context/job-context";
import { listenTo, pinged, printPass, record } from "../printing/prints";

export const print: CarryOut<"print"> = async (job, request, context) => {
  // One that waited while Stemzo was brought to a later version lacks what came since.
  const slip = slipSchema.parse(request.slip);
  const { document, revision } = await readDocument(context.db, job.session);
  const plan = orFail(planPrint(document, slip, new Date().toISOString().slice(0, 10)));
  // The same job begun again after a crash is the same pass.
  const pass = slip.pass === "real time" ? seedFrom(job.id) : null;
  const ready = pass === null ? { session: plan.session, edits: [] } : pinged(plan.session, pass);
  const rendered = await printPass(
    job,
    { document, revision, plan, session: ready.session, pass, ofJob: (part) => part },
    context,
  );
  // The files are known first; analysing them takes a while, and no lock is held meanwhile. What is not put
  // anywhere after all is a print in the cache.
  const printed = await context.db.transaction((tx) => rendered.keep(tx));
  const heard = await listenTo(document, plan, printed, context);
  await context.db.transaction(async (tx) => {
    let before = revision;
    let made = madeBy([]);
    const after = await appendStep(tx, job.session, job.id, (now, at) => {
      before = at;
      const step = printStep(now, plan, printed, randomUUID);
      const pings = ready.edits.filter(
        (e) => e.do === "set" && now.tracks.some((t) => t.id === e.track && t.devices.some((d) => d.id === e.id)),
      );
      made = madeBy(step.edits);
      return step.edits.length + pings.length > 0 ? { ...step, edits: [...pings, ...step.edits] } : null;
    });
    const prints = await record(tx, job, { document, slip, printed, heard, before, after });
    const { certain } = plan;
    const differs = plan.differs && sayReason(plan.differs);
    const { speed, since, silent } = rendered;
    await done(tx, job, {
      kind: "print",
      speed,
      since,
      silent: [...silent],
      heard: plan.heard,
      differs,
      certain,
      prints,
      made,
    });
    // With the print or not at all: an error after its end would call a finished print failed.
    if (plan.heard && (differs === null || !certain)) await requestJob(tx, job.session, { kind: "check", job: job.id });
  });
};
