import { stat } from "node:fs/promises";
import type { FileFactsAsMade } from "../../contract/handoff";
import type { ExportPlan, StemFile } from "../../core/delivery/plan";
import { endOf } from "../../core/delivery/plan";
import type { Stamps } from "../../core/delivery/stamps";
import { stampsOf } from "../../core/delivery/stamps";
import { sheetFacts } from "../../core/papers/facts";
import { thinned } from "../../core/papers/outline";
import type { Paper } from "../../core/papers/papers";
import { papersOf } from "../../core/papers/papers";
import { sheetPdf } from "../../server/packages/sheet-pdf";
import { writePackage } from "../../server/packages/write";
import { outputKey } from "../render/output-key";
import type { MadeSessionFiles } from "./session-files";
import { makeSessionFiles } from "./session-files";
import { manifestOf } from "./manifest";
import type { MadePackage, PackageOrder, Ready, Work } from "./order";
import { stemOrder } from "./output-orders";
import type { Rendering } from "./rendering";
import { RENDERING_SHARE, renderDelivery } from "./rendering";
import type { Reuse } from "./reuse";
import { changesOf, renderingAll, reuseOf } from "./reuse";
import { Scratch } from "./scratch";

/**
 * Makes a package, a stage behind the other: what is taken from the earlier one, the render, papers, session files,
 * manifest, and the ZIP. No temporary file is left, also when it fails. Throws `NothingChanged`.
 */
export async function makePackage(order: PackageOrder, work: Work): Promise<MadePackage> {
  const { session, plan, id, date } = order;
  const stamps = plan.files.map((f) => stampsOf(session, plan, f, { id, date }));
  const keys = plan.files.map((f, i) =>
    outputKey(f.fingerprint, stemOrder(f, plan, stamps[i] as Stamps), { from: plan.from, endAt: plan.endAt }),
  );
  const reuse = reuseOf(order, keys);
  const made = await attempt(order, work, stamps, keys, reuse);
  if (made) return made;
  const all = renderingAll({ ...reuse, whyAll: "what changed rings longer than it did before" });
  const again = await attempt(order, work, stamps, keys, all);
  if (!again) throw new Error("a package that takes nothing from an earlier one was held to its length");
  return again;
}

/** Null where files of the earlier package turn out to be too short for what changed. */
async function attempt(
  order: PackageOrder,
  work: Work,
  stamps: readonly Stamps[],
  keys: readonly string[],
  reuse: Reuse,
): Promise<MadePackage | null> {
  const scratch = new Scratch(work.store);
  let rendering: Rendering | null = null;
  try {
    rendering = await renderDelivery(order, reuse, stamps, work, scratch);
    return rendering && (await pack(order, work, keys, reuse, rendering, scratch));
  } finally {
    rendering?.close();
    await scratch.remove();
  }
}

/** Writes what lies beside the audio, and packs it all. */
async function pack(
  order: PackageOrder,
  work: Work,
  keys: readonly string[],
  reuse: Reuse,
  rendering: Rendering,
  scratch: Scratch,
): Promise<MadePackage> {
  const { session, date, plan: asked, earlier = null } = order;
  const { plan, ready, whole, kept, spentS, since } = rendering;
  const changes = changesOf(reuse, earlier);
  const included = plan.files.flatMap((file, i) =>
    changes?.full === false && reuse.comparison?.reused[i]
      ? []
      : [{ file, ready: ready[i] as Ready, key: keys[i] ?? "" }],
  );
  const files = included.map((f) => f.ready);
  const frames = whole?.frames ?? files.reduce((most, file) => Math.max(most, framesAt(plan, file)), rendering.longest);
  const end = kept ?? endOf(plan, frames - plan.leadFrames, session.rate);
  const papers = await papersFor(order, { ...plan, files: included.map((f) => f.file) }, files, changes);
  const sessionFiles = await sessionFilesFor(order, work, scratch);
  const speed = spentS === null ? 0 : (end - plan.from) / session.rate / spentS;
  const described = sessionFiles.facts.then((facts) =>
    manifestOf(order, {
      ...{ plan, files: included, papers, sessionFiles: facts, frames, since: changes },
      // Trimmed files do not tell how far their pass went; the mix that they are held to does.
      end: asked.ends === "equal" || asked.tail !== "measured" || kept !== null || whole ? end : null,
    }),
  );
  described.catch(() => undefined);
  const packed = [...files.map((f) => f.packed), ...sessionFiles.packed];
  const bytes = packed.reduce((sum, f) => sum + f.bytes, 0);
  const zipPath = scratch.unfinished();
  const onBytes = (done: number) => {
    const part = RENDERING_SHARE + ((1 - RENDERING_SHARE) * done) / bytes;
    work.report({ stage: "packing", done: part, speed, secondsLeft: null });
  };
  const folder = { folder: plan.folder, late: described };
  await writePackage(zipPath, packed, papers, folder, { date, signal: work.signal, onBytes });
  const manifest = await described;
  scratch.keep(zipPath);
  if (whole) scratch.keep(whole.path);
  const facts = files.map((f, i) => factsOf(manifest.files[i]?.name ?? "", f));
  return { zipPath, bytes: (await stat(zipPath)).size, manifest, facts, whole, speed, since };
}

async function papersFor(
  { session, revision, date }: PackageOrder,
  plan: ExportPlan & { readonly files: readonly StemFile[] },
  files: readonly Ready[],
  changes: ReturnType<typeof changesOf>,
): Promise<readonly Paper[]> {
  const made = { revision, date, changes };
  return [...papersOf(session, plan, files, made), await sheetPdf(sheetFacts(session, plan, files, made), date)];
}

async function sessionFilesFor(
  { session, document = session, id, revision, date, dataRoot, bundle = null }: PackageOrder,
  work: Work,
  scratch: Scratch,
): Promise<MadeSessionFiles> {
  const made = await makeSessionFiles(
    { session: document, id, revision, date, dataRoot, wanted: session.sheet.sessionFiles, bundle },
    work,
  );
  scratch.add(made.scratch);
  return made;
}

/** Of a file at another rate than the plan's, nothing is known. */
const framesAt = (plan: ExportPlan, file: Ready): number => (file.rate === plan.rate ? file.frames : 0);

/** As many pairs as the widest screen has points. */
const OUTLINE_POINTS = 2000;

const factsOf = (name: string, { channels, frames, rate, measures, overview }: Ready): FileFactsAsMade => ({
  name,
  channels,
  frames,
  rate,
  measures,
  outline: Buffer.from(thinned(overview, OUTLINE_POINTS)).toString("base64"),
});
