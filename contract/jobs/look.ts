import { z } from "zod";
import { arrivalSchema, sentFileSchema } from "../intake";
import { jobKind } from "./kind";

/** Looks at files that were sent: what they are, what they would become, and what is missing or lost. */
export const look = jobKind({
  request: { files: z.array(sentFileSchema).min(1).max(5000) },
  result: { arrival: arrivalSchema },
  title: "Looking at what arrived",
  subject: "look at the files",
  cancelled: "Cancelled. The files were not taken in.",
  priority: 0,
  shown: false,
  alone: true,
});
