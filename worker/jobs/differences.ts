import { readHandoff } from "../../server/services/handoffs";
import type { CarryOut } from "../context/job-context";
import { done } from "../context/job-context";

/** Holds two packages of a session against each other. */
export const differences: CarryOut<"differences"> = async (
  job,
  { earlier, later },
  { db, store, pool, signal, report, dataRoot },
) => {
  for (const id of [earlier, later]) await readHandoff(db, id);
  const found = await pool.run<"compare packages">(
    {
      kind: "compare packages",
      earlierPath: await store.packages.local(earlier),
      laterPath: await store.packages.local(later),
      dataRoot,
    },
    {
      signal,
      onProgress: (thousandths) =>
        report({ stage: "comparing file by file", done: thousandths / 1000, speed: null, secondsLeft: null }),
    },
  );
  await db.transaction((tx) => done(tx, job, { kind: "differences", earlier, later, ...found }));
};
