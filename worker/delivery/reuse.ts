import type { Comparison } from "../../core/delivery/changes";
import { compareWithEarlier } from "../../core/delivery/changes";
import type { Changes, Manifest } from "../../core/delivery/manifest";
import type { ExportPlan, StemFile } from "../../core/delivery/plan";
import type { PackageReader } from "../../server/packages/read";
import type { EarlierPackage, PackageOrder, Ready } from "./order";

/** What an export takes from an earlier package, and what has become of each of its files since. */
export interface Reuse {
  readonly comparison: Comparison | null;
  /** Why everything is rendered though some of it sounds the same; null: it is not. */
  readonly whyAll: string | null;
}

/** Every file of a delivery is as it was in the earlier package. */
export class NothingChanged extends Error {
  override readonly name = "NothingChanged";
  constructor() {
    super("Nothing changed since that package: every file is the same.");
  }
}

/** Compares an export with the package that it carries on. Throws `NothingChanged` where it would be empty. */
export function reuseOf({ plan, earlier = null, session }: PackageOrder, keys: readonly string[]): Reuse {
  const comparison = earlier && compareWithEarlier(plan, keys, earlier.manifest);
  if (!comparison) return { comparison, whyAll: null };
  const whyAll = whyNotCarriedOn(plan, earlier.manifest);
  if (whyAll !== null) return renderingAll({ comparison, whyAll });
  const { reused, changes } = comparison;
  const isNothingNew = !earlier.full && reused.every((f) => f !== null) && changes.removed.length === 0;
  if (isNothingNew && session.sheet.sessionFiles.length === 0) throw new NothingChanged();
  return { comparison, whyAll: null };
}

/** Nothing is taken from the earlier package; what has become of its files is told all the same. */
export const renderingAll = ({ comparison, whyAll }: Reuse): Reuse => ({
  comparison: comparison && { changes: comparison.changes, reused: comparison.reused.map(() => null) },
  whyAll,
});

/** Why no file of an earlier package can be used though its sound is the same; null where it can. */
function whyNotCarriedOn(plan: ExportPlan, { range, since }: Manifest): string | null {
  if (range.tail !== plan.tail) return "another tail was chosen";
  if (range.end === null) return "the earlier package does not say where its pass ended";
  if (since && !since.full) return "the earlier package holds only what had changed";
  if (plan.tail === "measured" ? plan.to > range.end : plan.to + plan.tailFrames !== range.end)
    return "the session has another length now";
  return null;
}

/** What the manifest says of an earlier package; null: there is none. */
export function changesOf({ comparison, whyAll }: Reuse, earlier: EarlierPackage | null): Changes | null {
  if (!comparison || !earlier) return null;
  // What had to be rendered again is delivered.
  return { handoff: earlier.handoff, full: earlier.full || whyAll !== null, ...comparison.changes, whyAll };
}

/** A file as it was in an earlier package. Throws where that lacks it. */
export function fromEarlier(
  file: StemFile,
  before: Manifest["files"][number],
  earlier: EarlierPackage,
  old: PackageReader,
): Ready {
  const entry = old.entries.get(before.name);
  const facts = earlier.facts.find((f) => f.name === before.name);
  if (!entry || !facts) throw new Error(`the earlier package lacks "${before.name}"`);
  return {
    channels: before.channels,
    frames: before.frames,
    rate: before.rate ?? earlier.manifest.rate,
    bytes: before.bytes,
    sha256: before.sha256,
    measures: facts.measures,
    overview: new Uint8Array(Buffer.from(facts.outline, "base64")),
    packed: {
      path: earlier.path,
      start: entry.start,
      name: file.fileName,
      bytes: before.bytes,
      crc32: entry.crc32,
    },
  };
}
