import { createHash } from "node:crypto";
import type { Changes, Manifest } from "../../core/delivery/manifest";
import type { ExportPlan, StemFile } from "../../core/delivery/plan";
import { ticksOf } from "../../core/papers/facts";
import type { Paper } from "../../core/papers/papers";
import type { Session } from "../../core/session/document";
import { nameOf } from "../context/job-context";
import type { PackageOrder, Ready } from "./order";

/** A package of which everything is known. `plan`: how it was rendered. */
export interface Outcome {
  readonly plan: ExportPlan;
  readonly files: readonly { readonly file: StemFile; readonly ready: Ready; readonly key: string }[];
  readonly papers: readonly Paper[];
  readonly sessionFiles: Manifest["sessionFiles"];
  readonly frames: number;
  readonly end: number | null;
  readonly since: Changes | null;
}

function markersWithin(session: Session, plan: ExportPlan): Manifest["markers"] {
  const [from, to] = ticksOf(session, plan);
  return session.markers.filter((m) => m.tick >= from && m.tick <= to).map(({ tick, name }) => ({ tick, name }));
}

/** What a package says of itself. `asked`: what the sheet says. */
export function manifestOf(
  { session, id, revision, plan: asked }: Pick<PackageOrder, "session" | "id" | "revision" | "plan">,
  { plan, files, papers, sessionFiles, frames, end, since }: Outcome,
): Manifest {
  return {
    format: "stemzo-manifest",
    version: 2,
    session: { id, name: session.name, revision, rate: session.rate },
    folder: plan.folder,
    rate: plan.rate,
    depth: plan.depth,
    dither: plan.dither && plan.depth !== "32f",
    frames,
    range: { from: plan.from, to: plan.to, tail: asked.tail, end },
    ends: plan.ends,
    silence: { bars: plan.leadBars, frames: plan.leadFrames },
    timeReference: plan.timeReference,
    leadIn: session.leadIn,
    tempo: session.tempo.map((p) => ({ ...p })),
    meter: session.meter.map((p) => ({ ...p })),
    markers: markersWithin(session, plan),
    notes: session.sheet.notes,
    receiver: session.sheet.receiver,
    files: files.map(({ file: f, ready, key }) => ({
      name: f.fileName,
      title: f.title,
      role: f.role,
      format: f.format,
      ...(ready.rate === plan.rate ? {} : { rate: ready.rate }),
      fold: f.fold,
      keepsStereo: f.keepsStereo,
      sources: f.sources.map((s) => nameOf(session, s)),
      tap: f.tap.kind === "mix" ? f.tap.at : `${f.tap.at}${f.tap.returns ? " with returns" : ""}`,
      channels: ready.channels,
      frames: ready.frames,
      bytes: ready.bytes,
      sha256: ready.sha256,
      fingerprint: f.fingerprint,
      key,
    })),
    whole: plan.whole?.kind === "mix" ? plan.whole.at : null,
    since,
    sessionFiles,
    papers: papers.map(({ name, role, bytes }) => ({
      name,
      role,
      bytes: bytes.length,
      sha256: createHash("sha256").update(bytes).digest("hex"),
    })),
  };
}
