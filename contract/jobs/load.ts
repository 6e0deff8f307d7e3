import { z } from "zod";
import { jobKind } from "./kind";

/** Measures the load of every track. */
export const load = jobKind({
  request: {},
  result: { total: z.number() },
  priority: 3,
  once: true,
  disturbs: false,
});
