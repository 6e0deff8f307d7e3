import { rm } from "node:fs/promises";
import { eq } from "drizzle-orm";
import { sessionEnd } from "../../core/engine/render";
import type { Frames } from "../../core/units";
import { lineage } from "../../server/db/schema";
import { readAudio, recordAudio } from "../../server/services/audio";
import { documentAt } from "../../server/services/sessions";
import type { CarryOut } from "../context/job-context";
import { done } from "../context/job-context";

/** So much of the session is written to be listened to, around a print's beginning. */
const LISTEN_S = 30;
const PRE_ROLL_S = 1;

/** Writes the mix right before a print, right after it, and their difference, where the print begins. */
export const listen: CarryOut<"listen"> = async (
  job,
  { print: printId },
  { db, store, pool, signal, report, dataRoot },
) => {
  const [made] = await db.select().from(lineage).where(eq(lineage.id, printId));
  if (!made) throw new Error(`there is no print ${printId}`);
  const before = await documentAt(db, job.session, made.revisionBefore);
  const after = await documentAt(db, job.session, made.revisionAfter);
  const start = (await readAudio(db, made.asset)).timeReference ?? 0;
  const from: Frames = Math.max(0, start - PRE_ROLL_S * before.rate);
  const to = Math.max(
    from + before.rate,
    Math.min(from + LISTEN_S * before.rate, Math.max(sessionEnd(before), sessionEnd(after))),
  );
  const paths = { before: store.unfinished(), after: store.unfinished(), difference: store.unfinished() };
  try {
    const heard = await pool.run<"listen">(
      { kind: "listen", before, after, from, to, dataRoot, paths },
      {
        signal,
        onProgress: (frames) =>
          report({
            stage: "rendering before and after",
            done: Math.min(1, frames / (2 * to)),
            speed: null,
            secondsLeft: null,
          }),
      },
    );
    const files = [heard.before, heard.after, heard.difference] as const;
    const hashes = await Promise.all(files.map((f) => store.adopt(f.path, f.sha256)));
    await db.transaction(async (tx) => {
      for (const [i, file] of files.entries()) await recordAudio(tx, hashes[i] ?? "", { ...file, timeReference: from });
      await done(tx, job, {
        kind: "listen",
        print: printId,
        before: hashes[0] ?? "",
        after: hashes[1] ?? "",
        difference: hashes[2] ?? "",
        from,
        frames: heard.before.frames,
        differencePeakDb: heard.peakDb,
      });
    });
  } finally {
    await Promise.all(Object.values(paths).map((path) => rm(path, { force: true })));
  }
};
