import { CONTENT_LIMIT_DB } from "../proof/content";
import type { Proof } from "../proof/proof";
import { formatNumber } from "./numbers";

/**
 * Which stem or device a residue most likely comes from: a file that is not what its render is, the farthest off first;
 * else what is known not to add up. Null where there is no residue to speak of.
 */
export function responsible({ manifest, files, residual, unsummable, verdict }: Proof): string | null {
  if (residual === null || residual.peakDb === null || verdict.sum.mark === "right") return null;
  const stems = files.filter((f) => f.role === "stem" && f.content);
  const [worst] = [...stems].sort((a, b) => (b.content?.residueDb ?? -Infinity) - (a.content?.residueDb ?? -Infinity));
  const residueDb = worst?.content?.residueDb ?? -Infinity;
  if (worst && residueDb > CONTENT_LIMIT_DB[manifest.depth])
    return `Most likely it is ${worst.name}: ${worst.content?.cause ?? `it differs by ${formatNumber(residueDb, 1)} dBFS`}.`;
  const [reason] = unsummable;
  return reason === undefined ? null : `Most likely: ${reason}.`;
}
