import { rm } from "node:fs/promises";
import { sessionEnd } from "../../core/engine/render";
import { MIX_AFTER } from "../../core/engine/tap";
import { heardChanges, versionTap } from "../../core/printing/heard-changes";
import { documentAt } from "../../server/services/sessions";
import type { CarryOut } from "../context/job-context";
import { done } from "../context/job-context";

const NOTHING = { peakDb: null, spans: [] };

/** Tells track by track where a session sounds different at two points of its history. */
export const compareVersions: CarryOut<"compare versions"> = async (
  job,
  { earlier, later },
  { db, store, pool, signal, report, dataRoot },
) => {
  const before = await documentAt(db, job.session, earlier);
  const after = await documentAt(db, job.session, later);
  const { added, removed, same, changed, mix } = heardChanges(before, after);
  const taps = [...changed.map((t) => versionTap(t.id)), ...(mix ? [MIX_AFTER] : [])];
  const scratch = taps.map(() => store.unfinished());
  const frames = Math.max(sessionEnd(before), sessionEnd(after));
  try {
    const found =
      taps.length === 0
        ? []
        : await pool.run<"compare versions">(
            { kind: "compare versions", before, after, taps, dataRoot, scratch },
            {
              signal,
              onProgress: (at) =>
                report({
                  stage: "comparing two versions",
                  done: Math.min(1, at / Math.max(1, 2 * frames)),
                  speed: null,
                  secondsLeft: null,
                }),
            },
          );
    const compared = changed.map(({ id, name }, i) => ({ track: id, name, ...(found[i] ?? NOTHING) }));
    const heard = compared.filter((t) => t.spans.length > 0);
    await db.transaction((tx) =>
      done(tx, job, {
        kind: "compare versions",
        earlier,
        later,
        added,
        removed,
        same: same + compared.length - heard.length,
        changed: heard.sort((a, b) => (b.peakDb ?? -200) - (a.peakDb ?? -200)),
        mix: mix ? (found.at(-1) ?? NOTHING) : NOTHING,
        lengthS: frames / before.rate,
      }),
    );
  } finally {
    await Promise.all(scratch.map((path) => rm(path, { force: true })));
  }
};
