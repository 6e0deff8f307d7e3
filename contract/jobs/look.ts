import { z } from "zod";
import { arrivalSchema, sentFileSchema } from "../intake";
import { jobKind } from "./kind";

/** Looks at files that were sent: what they are, what they would become, and what is missing or lost. */
export const look = jobKind({
  request: { files: z.array(sentFileSchema).min(1).max(5000) },
  result: { arrival: arrivalSchema },
  priority: 0,
  alone: true,
});
