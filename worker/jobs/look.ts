import { sentFiles } from "../intake/sent";
import type { CarryOut } from "../context/job-context";
import { done } from "../context/job-context";

/** A reader that has not come further for so long is at a loss, and is ended. */
const STALL_MS = 30_000;

export const look: CarryOut<"look"> = async (job, { files }, { db, store, pool, signal, report, dataRoot }) => {
  const sent = await sentFiles(store, files);
  const arrival = await pool.run<"look">(
    { kind: "look", files: sent, dataRoot },
    {
      signal,
      stallMs: STALL_MS,
      onProgress: (thousandths) =>
        report({ stage: "reading the files", done: thousandths / 1000, speed: null, secondsLeft: null }),
    },
  );
  await done(db, job, { kind: "look", arrival });
};
