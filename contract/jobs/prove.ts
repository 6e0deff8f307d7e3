import { z } from "zod";
import { jobKind } from "./kind";

/** Reads a finished package back and holds it to a fresh render. */
export const prove = jobKind({
  request: { handoff: z.string() },
  result: { handoff: z.string(), mark: z.enum(["right", "look", "wrong"]) },
  priority: 1,
});
