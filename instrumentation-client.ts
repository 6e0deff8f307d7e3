import { config } from "zod";

/**
 * Runs in the page before anything of ours: schemas probe whether code may be generated, which our policy forbids, and
 * every probe would be reported as a breach of it.
 */
config({ jitless: true });
