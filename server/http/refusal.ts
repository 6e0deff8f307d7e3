import { MissingAudio } from "../../core/engine/library";
import { isDatabaseAway } from "../db/connect";
import { Refusal, databaseAway, diskFull, isDiskFull, notFound } from "../fault";

/** The refusal that an error means for the client; null: it was not foreseen. */
export function refusalOf(error: unknown): Refusal | null {
  if (error instanceof Refusal) return error;
  if (isDiskFull(error)) return diskFull();
  if (error instanceof MissingAudio) return notFound("such audio any more");
  return isDatabaseAway(error) ? databaseAway() : null;
}
