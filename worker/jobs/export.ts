import { rm } from "node:fs/promises";
import { planExport, withoutStems } from "../../core/delivery/plan";
import { handoffs } from "../../server/db/schema";
import { recordAudio } from "../../server/services/audio";
import { bundleBeside } from "../../server/services/bundles";
import { lastHandoffs, readHandoff } from "../../server/services/handoffs";
import { requestJob } from "../../server/services/jobs";
import { readDocument, revisionDate } from "../../server/services/sessions";
import type { EarlierPackage } from "../delivery/order";
import { makePackage } from "../delivery/make-package";
import type { CarryOut, JobContext } from "../context/job-context";
import { done, orFail } from "../context/job-context";

export const exportStems: CarryOut<"export"> = async (job, request, context) => {
  const { db, store, pool, signal, report, threads, dataRoot } = context;
  const { document, revision } = await readDocument(db, job.session);
  // Dates are the revision's, so that the same revision is the same bytes whenever it is exported.
  const date = await revisionDate(db, job.session, revision);
  const asked = request.only === "session files" ? withoutStems(document) : document;
  const plan = orFail(planExport(asked, date));
  const isBundled = document.sheet.sessionFiles.some((f) => f.kind === "bundle");
  const bundle = isBundled ? await bundleBeside(db, job.session) : null;
  // Jobs that waited while the program was renewed say nothing of it.
  const earlier =
    request.since && request.only !== "session files"
      ? await earlierPackage(request.since, request.full, context)
      : null;
  const before = [...(earlier ? [earlier] : []), ...(await lastPackages(job.session, context))];
  const made = await makePackage(
    { session: asked, document, id: job.session, revision, plan, date, dataRoot, earlier, before, bundle },
    { store, pool, threads, signal, report },
  );
  try {
    const whole = made.whole && (await store.adopt(made.whole.path, made.whole.sha256));
    await store.packages.put(job.id, made.zipPath);
    await db.transaction(async (tx) => {
      if (whole && made.whole) await recordAudio(tx, whole, { ...made.whole, timeReference: plan.timeReference });
      await tx.insert(handoffs).values({
        id: job.id,
        sessionId: job.session,
        revision,
        fileName: `${plan.folder}.zip`,
        whole,
        manifest: made.manifest,
        facts: made.facts,
        bytes: made.bytes,
        proof: null,
        speed: made.speed,
      });
      await done(tx, job, { kind: "export", handoff: job.id, since: made.since });
      // The package can be fetched from now on; what is in it is proven beside that.
      await requestJob(tx, job.session, { kind: "prove", handoff: job.id });
    });
  } finally {
    const paths = [made.zipPath, ...(made.whole ? [made.whole.path] : [])];
    await Promise.all(paths.map((path) => rm(path, { force: true })));
  }
};

/** How many packages of a session are looked into: those with only what changed hold few files each. */
const LAST_PACKAGES = 6;

/** The newest packages of a session that are on this disk. None is fetched: rendering takes less time. */
async function lastPackages(
  session: string,
  { db, store }: Pick<JobContext, "db" | "store">,
): Promise<readonly Pick<EarlierPackage, "path" | "manifest">[]> {
  const here = await Promise.all(
    (await lastHandoffs(db, session, LAST_PACKAGES)).map(async ({ id, manifest }) =>
      (await store.packages.isHere(id)) ? [{ manifest, path: store.packages.path(id) }] : [],
    ),
  );
  return here.flat();
}

async function earlierPackage(
  handoff: string,
  full: boolean,
  { db, store }: Pick<JobContext, "db" | "store">,
): Promise<EarlierPackage> {
  const { manifest, facts } = await readHandoff(db, handoff);
  return { handoff, manifest, facts, path: await store.packages.local(handoff), full };
}
