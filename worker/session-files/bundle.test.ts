import { randomUUID } from "node:crypto";
import { existsSync, rmSync } from "node:fs";
import { join } from "node:path";
import fc from "fast-check";
import { afterAll, beforeAll, expect, test } from "vitest";
import type { BundleBeside } from "../../contract/bundle";
import { recipeSlip } from "../../contract/recipe";
import { plainSlip } from "../../core/printing/slip";
import type { Session } from "../../core/session/document";
import { hashOf } from "../../core/testing/listen";
import { randomSessions, sounds } from "../../core/testing/random-session";
import { insertBundle, bundleBeside } from "../../server/services/bundles";
import { saveRecipe } from "../../server/services/recipes";
import { insertSession, readState } from "../../server/services/sessions";
import type { Fresh } from "../../tests/setup/fresh";
import { fresh, keep } from "../../tests/setup/fresh";
import { openArrival } from "../candidates/look";
import { writeBundle } from "./bundle";
import { share } from "../../tests/setup/share";

let at: Fresh;
const hashes: string[] = [];
beforeAll(async () => {
  at = await fresh();
  for (const n of [1, 2, 3]) hashes.push((await keep(at, `${n}`, sounds[hashOf(n)]!)).id);
  const wanted = Object.entries(plainSlip([])).filter(([key]) => key in recipeSlip.shape);
  await saveRecipe(at.db, "Dry", recipeSlip.parse(Object.fromEntries(wanted)));
});
afterAll(() => at.close());

/** With files of the store in place of the generator's. */
const real = (session: Session): Session =>
  JSON.parse(
    hashes.reduce((text, hash, i) => text.replaceAll(hashOf(i + 1), hash), JSON.stringify(session)),
  ) as Session;

test("what a bundle brings in is the session that it was made of", async () => {
  const sessions = fc.sample(randomSessions(), { seed: 200, numRuns: share(200) }).map(real);
  for (const [i, session] of sessions.entries()) {
    const print = (place: number): BundleBeside["prints"][number] => ({
      id: randomUUID(),
      job: `job-${i}`,
      place,
      asset: hashes[place] as string,
      name: `Print ${place}`,
      slip: plainSlip([session.tracks[0]?.id ?? ""]),
      sources: [session.tracks[0]?.id ?? ""],
      fingerprint: "f",
      revisionBefore: 3,
      revisionAfter: 4,
      checked: true,
      residueDb: null,
      madeAt: new Date(1e12 + i).toISOString(),
    });
    const recipes = (await bundleBeside(at.db, "none")).recipes;
    const beside: BundleBeside = { prints: i % 3 === 0 ? [print(0), print(1)] : [], recipes, handoffs: [] };
    const path = join(at.dataRoot, `${i}.stemzo.zip`);
    await writeBundle(
      { session, revision: i, date: new Date(0), beside },
      { store: at.store, path, signal: new AbortController().signal, report: () => undefined },
    );
    const sent = [{ stored: path, path: `${i}.stemzo.zip` }];
    const opened = await openArrival(
      { kind: "open arrival", files: sent, dataRoot: at.dataRoot, candidate: `bundle:${i}.stemzo.zip` },
      () => true,
    );
    const bundle = opened.bundle!;
    const id = randomUUID();
    await at.db.transaction(async (tx) => {
      await insertSession(tx, bundle.session, id);
      await insertBundle(tx, id, bundle.beside);
    });
    const back = await readState(at.db, id);
    expect(back.document).toEqual(session);
    expect(bundle.beside).toEqual(beside);
    // All of it belongs to the first revision, since the history stays behind.
    const kept = (await bundleBeside(at.db, id)).prints.map(({ id: _, ...p }) => p);
    const told = beside.prints.map(({ id: _, ...p }) => ({ ...p, revisionBefore: 0, revisionAfter: 0 }));
    expect(kept).toEqual(told);
    expect((await bundleBeside(at.db, id)).recipes).toEqual(recipes);
    const wanted = new Set([...session.assets.map((a) => a.id), ...beside.prints.map((p) => p.asset)]);
    expect(new Set(bundle.audio.map((a) => a.sha256))).toEqual(wanted);
    for (const scratch of opened.scratch) if (existsSync(scratch)) rmSync(scratch);
    rmSync(path);
  }
}, 180_000);
