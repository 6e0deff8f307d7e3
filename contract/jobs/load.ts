import { z } from "zod";
import { jobKind } from "./kind";

/** Measures the load of every track. */
export const load = jobKind({
  request: {},
  result: { total: z.number() },
  title: "Measuring",
  subject: "measurement",
  cancelled: "Measuring was cancelled.",
  priority: 3,
  shown: false,
  unasked: true,
  once: true,
  disturbs: false,
});
