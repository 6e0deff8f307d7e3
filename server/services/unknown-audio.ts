import { inArray } from "drizzle-orm";
import type { Session } from "../../core/session/document";
import type { Problem } from "../../core/session/problem";
import type { Connection } from "../db/connect";
import { assets } from "../db/schema";
import { invalid } from "../fault";

/** Every asset a list newly names has to be in the store, and be what the document says it is. */
export async function refuseUnknownAudio(
  db: Connection,
  list: Session["assets"],
  before: Session["assets"],
): Promise<void> {
  const known = new Set(before.map((a) => a.id));
  const named = list.map((asset, i) => ({ asset, i })).filter(({ asset }) => !known.has(asset.id));
  if (named.length === 0) return;
  const stored = new Map(
    (
      await db
        .select({ hash: assets.hash, frames: assets.frames, rate: assets.rate, channels: assets.channels })
        .from(assets)
        .where(
          inArray(
            assets.hash,
            named.map(({ asset }) => asset.id),
          ),
        )
    ).map((a) => [a.hash, a]),
  );
  const problems = named.flatMap(({ asset, i }): Problem[] => {
    const found = stored.get(asset.id);
    if (!found)
      return [{ where: `assets[${i}].id`, what: `the audio of "${asset.name}" is not in the store: upload it first` }];
    return (["frames", "rate", "channels"] as const)
      .filter((field) => found[field] !== asset[field])
      .map((field) => ({
        where: `assets[${i}].${field}`,
        what: `is ${asset[field]}, the stored file has ${found[field]}`,
      }));
  });
  if (problems.length > 0) throw invalid("The session names audio that does not fit.", problems);
}
