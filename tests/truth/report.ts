import { spawnSync } from "node:child_process";
import { mkdtempSync, readFileSync, readdirSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { pathToFileURL } from "node:url";
import { parseArgs } from "node:util";
import fc from "fast-check";
import { tryOut, randomSlips, slipFrom } from "../../core/testing/random-slip";
import { isWhole } from "../../core/testing/in-parts";
import { edited, randomEdits, tapsInBoth, withLateTracks } from "../../core/testing/random-edit";
import { randomRows, tapsOf } from "../../core/testing/random-rows";
import { randomSessions } from "../../core/testing/random-session";
import { splice } from "../../core/testing/splice";
import { fixPass, fixedPasses } from "./splices";
import { CHECKOUT, buildWorker } from "../../scripts/build";
import { ThreadPool } from "../../worker/threads/threads";
import { demoThroughDoors } from "./doors";
import { endure, victims } from "./mutations";
import type { FaultKind } from "./deliveries";
import {
  FAULTS,
  Workshop,
  deliver,
  discard,
  inPlainFiles,
  prove,
  randomOrders,
  rangeAgainstWhole,
  spoil,
  wrongOf,
} from "./deliveries";

/**
 * Holds what is promised of sound to random sessions, and prints what was found. Minutes long; a share of it is in the
 * test suite.
 */
const { values } = parseArgs({
  options: {
    sessions: { type: "string", default: "400" },
    slips: { type: "string", default: "500" },
    /** Number of sessions that are edited and rendered from a checkpoint; nothing else is done. */
    fixes: { type: "string" },
    seed: { type: "string", default: "20261128" },
    /** So many damaged files for every reader of session files, and nothing else. */
    mutations: { type: "string" },
    /** All cases of the tests of which the test suite tries a share, and nothing else. */
    tests: { type: "boolean", default: false },
    /** The demo as session files, out and in again, and nothing else. */
    doors: { type: "boolean", default: false },
  },
});
const SESSIONS = Number(values.sessions);
const SLIPS = Number(values.slips);
const FIXES = Number(values.fixes ?? 500);
const SEED = Number(values.seed);

const failures: string[] = [];
const fault = (text: string) => {
  failures.push(text);
  console.log(`  FAULT ${text}`);
};
const db = (x: number) => (x > 0 ? `${(20 * Math.log10(x)).toFixed(1)} dBFS` : "none");

async function deliveries(workshop: Workshop): Promise<void> {
  const orders = fc.sample(randomOrders, { numRuns: SESSIONS, seed: SEED });
  let [packages, files, summed, ranges, looks, clipped] = [0, 0, 0, 0, 0, 0];
  let [worstFile, worstSum, worstRange] = [-Infinity, -Infinity, 0];
  const threads = new Map<number, number>();
  for (const [i, order] of orders.entries()) {
    const session = workshop.real(order.session);
    const delivered = await deliver(workshop, session, order.threads);
    if (!delivered) continue;
    const proof = await prove(workshop, session, delivered);
    packages++;
    files += proof.files.length;
    threads.set(order.threads, (threads.get(order.threads) ?? 0) + 1);
    const wrong = wrongOf(proof);
    // What a random session drives beyond full scale is clipped in whole-number files, and rightly called so; then the
    // sum lacks as much.
    const isClipped = wrong.some((text) => text.startsWith("clipping"));
    if (isClipped) clipped++;
    for (const text of wrong.filter((w) => !isClipped || !/^(clipping|sum)/.test(w)))
      fault(`session ${i}, ${order.threads} threads: ${text}`);
    if (proof.verdict.mark === "look") looks++;
    if (!isClipped) for (const f of proof.files) worstFile = Math.max(worstFile, f.content?.residueDb ?? -Infinity);
    if (!isClipped && proof.unsummable.length === 0 && session.sheet.depth === "32f") {
      summed++;
      worstSum = Math.max(worstSum, proof.residual?.peakDb ?? -Infinity);
    }
    discard(delivered);
    if (session.sheet.rate !== null && session.sheet.to !== null) {
      const worst = await rangeAgainstWhole(workshop, session);
      if (worst !== null) {
        ranges++;
        worstRange = Math.max(worstRange, worst);
        if (worst > 1e-6) fault(`session ${i}: a range at ${session.sheet.rate} Hz is ${db(worst)} off the whole`);
      }
    }
    if ((i + 1) % 50 === 0) console.log(`  ${i + 1} of ${SESSIONS} sessions`);
  }
  console.log(
    `deliveries: ${packages} packages of ${SESSIONS} sessions, ${files} files, on 1 to 4 threads (${[...threads]
      .sort()
      .map(([n, c]) => `${n}: ${c}`)
      .join(", ")})`,
  );
  console.log(
    `  each file against one thread and other blocks, at its depth: worst ${worstFile.toFixed(1)} dBFS; packages with a file that clips, and is named: ${clipped}; others called wrong: see above; with something to look at: ${looks}`,
  );
  console.log(`  float stems that must add up: ${summed}, worst sum ${worstSum.toFixed(1)} dBFS`);
  console.log(`  ranges at another rate against the same frames of the whole: ${ranges}, worst ${db(worstRange)}`);
}

async function provoked(workshop: Workshop): Promise<void> {
  const found = new Map<FaultKind, { found: number; made: number }>(FAULTS.map((f) => [f, { found: 0, made: 0 }]));
  for (const [i, order] of fc.sample(randomOrders, { numRuns: Math.ceil(SESSIONS / 4), seed: SEED + 1 }).entries()) {
    const session = inPlainFiles(workshop.real(order.session));
    const kind = FAULTS[i % FAULTS.length] as FaultKind;
    const delivered = await deliver(workshop, session, order.threads);
    if (!delivered) continue;
    const spoilt = await spoil(workshop, session, delivered, kind);
    const tally = found.get(kind);
    if (spoilt !== null && tally) {
      tally.made++;
      const proof = await prove(workshop, session, delivered);
      if (
        wrongOf(proof).some(
          (text) => text.startsWith(`content of ${spoilt}`) || text.startsWith(`clipping of ${spoilt}`),
        )
      )
        tally.found++;
      else fault(`${kind} in ${spoilt} of session ${i} was not found: ${JSON.stringify(wrongOf(proof))}`);
    }
    discard(delivered);
  }
  console.log(
    `faults provoked in finished packages, found of made: ${[...found].map(([kind, t]) => `${kind} ${t.found}/${t.made}`).join(", ")}`,
  );
}

/** Edits after which a render goes on from a checkpoint. */
async function fixes(): Promise<void> {
  const sessions = fc.sample(randomSessions(), { numRuns: FIXES, seed: SEED + 6 });
  const all = fc.sample(randomEdits, { numRuns: FIXES, seed: SEED + 7 });
  let [made, taps, spliced] = [0, 0, 0];
  sessions.forEach((drawn, i) => {
    const session = i % 3 === 0 ? drawn : withLateTracks(drawn, 30_000);
    const edits = all[i] ?? [];
    const after = edited(session, edits);
    if (!after) return;
    made++;
    for (const tap of tapsInBoth(session, after)) {
      taps++;
      const of = splice(session, after, [tap]);
      if (!of || of.since === 0) continue;
      spliced++;
      if (of.different.length > 0) fault(`session ${i}, ${JSON.stringify(edits)}: ${JSON.stringify(tap)} differs`);
    }
  });
  console.log(
    `fixes: ${made} sessions of ${FIXES} after one to three edits, ${taps} taps, ${spliced} went on from a checkpoint; every one to the last bit`,
  );
  await fixedPassesOf(Math.ceil(FIXES / 5));
}

/** Passes of stems and mixes on several threads, at all rates and depths, made again after edits. */
async function fixedPassesOf(count: number): Promise<void> {
  const shop = new Workshop(new ThreadPool(pathToFileURL(join(CHECKOUT, "dist/truth/task.thread.mjs")), null, 0.09));
  await shop.prepare();
  let [passes, files, spliced] = [0, 0, 0];
  try {
    for (const [i, how] of fc.sample(fixedPasses, { numRuns: count, seed: SEED + 8 }).entries()) {
      const made = await fixPass(shop, how);
      if (!made) continue;
      passes++;
      files += made.files;
      if (made.spliced) spliced++;
      for (const tap of made.different)
        fault(`pass ${i}, ${JSON.stringify(how.edits)}: ${JSON.stringify(tap)} differs`);
    }
  } finally {
    await shop.close();
  }
  console.log(
    `fixes of passes: ${passes} on 1 to 4 threads, ${files} files, ${spliced} passes went on from a checkpoint; every file to the last byte`,
  );
}

function parts(): void {
  let divided = 0;
  const count = Math.ceil(SESSIONS / 2);
  const sessions = fc.sample(randomSessions(), { numRuns: count, seed: SEED + 2 });
  const rows = fc.sample(randomRows, { numRuns: count, seed: SEED + 3 });
  sessions.forEach((session, i) => {
    const { divided: was, different } = isWhole(
      session,
      tapsOf(session, rows[i] ?? []),
      i % 2 === 0 ? "measured" : "none",
      [1, 2, 99][i % 3] ?? 1,
      2 + (i % 3),
    );
    if (was) divided++;
    if (different.length > 0) fault(`session ${i} in parts: taps ${different.join(", ")} differ`);
  });
  console.log(
    `passes on two to four threads: ${divided} of ${count} sessions could be divided; every tap to the last bit`,
  );
}

function slips(): void {
  const tally = { refused: 0, same: 0, broken: 0, "may differ": 0, different: 0, over: 0, mayOver: 0 };
  let worst = -Infinity;
  for (const [k, above] of (["any", "linkable", "linear"] as const).entries()) {
    const count = Math.ceil(SLIPS / 3);
    const sessions = fc.sample(randomSessions({ above }), { numRuns: count, seed: SEED + 10 + k });
    const parts = fc.sample(randomSlips, { numRuns: count, seed: SEED + 20 + k });
    sessions.forEach((session, i) => {
      const part = parts[i];
      const slip = part ? slipFrom(session, part) : null;
      const outcome = slip && tryOut(session, slip);
      if (!outcome || outcome.kind === "refused") return void tally.refused++;
      tally[outcome.kind]++;
      if (outcome.kind === "same") {
        worst = Math.max(worst, outcome.residueDb);
        if (outcome.residueDb > -120) {
          tally.broken++;
          fault(
            `slip ${i} of "${above}": promised the same, ${outcome.residueDb.toFixed(1)} dBFS: ${JSON.stringify(outcome.slip)}`,
          );
        }
      } else if (outcome.residueDb <= -120) {
        if (outcome.kind === "different") tally.over++;
        else tally.mayOver++;
      }
    });
  }
  const part = (100 * tally.over) / Math.max(1, tally.different);
  console.log(
    `slips: ${SLIPS} (${tally.refused} with nothing to print); promised the same ${tally.same}, broken ${tally.broken}, worst ${worst.toFixed(1)} dBFS`,
  );
  console.log(
    `  said to differ ${tally.different}, of which not above -120 dBFS ${tally.over} (${part.toFixed(1)} %); said that they may, measured afterwards ${tally["may differ"]}, of which the same ${tally.mayOver}`,
  );
  if (part >= 5) fault(`${part.toFixed(1)} % of the prints that were said to differ do not`);
}

async function mutations(count: number): Promise<void> {
  const folder = mkdtempSync(join(tmpdir(), "stemzo-mutations-"));
  try {
    for (const victim of await victims(folder)) {
      const { read, refused, slowestMs, mostBytes, faults } = await endure(victim, count, SEED % 1_000_000);
      console.log(
        `${victim.name}: ${count} damaged files, ${read} read, ${refused} refused, ${faults.length} faults, ` +
          `slowest ${slowestMs.toFixed(0)} ms, ${(mostBytes / 1048576).toFixed(0)} MB more memory at most`,
      );
      const kinds = new Map(faults.map((f) => [f.what.split("\n").slice(0, 2).join(" "), f.seed]));
      for (const [what, seed] of [...kinds].slice(0, 12)) fault(`${victim.name}, seed ${seed}: ${what}`);
    }
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

async function doors(workshop: Workshop): Promise<void> {
  for (const { kind, tracks, clips, bytes, worstDb, worst } of await demoThroughDoors(workshop)) {
    console.log(
      `demo as ${kind}: ${tracks} tracks, ${clips} clips, ${(bytes / 1e6).toFixed(0)} MB; ` +
        `worst track back against its tap ${worstDb.toFixed(1)} dBFS${worst === "" ? "" : ` (${worst})`}`,
    );
    if (worstDb > -140) fault(`demo as ${kind}: "${worst}" differs by ${worstDb.toFixed(1)} dBFS`);
  }
}

/** Runs the tests that try a share of their cases, with all of them. */
function tests(): never {
  const listed = ["core", "worker", "tests"].flatMap((folder) =>
    readdirSync(join(CHECKOUT, folder), { recursive: true, encoding: "utf8" }).map((name) => join(folder, name)),
  );
  const shared = listed.filter(
    (path) => path.endsWith(".test.ts") && readFileSync(join(CHECKOUT, path), "utf8").includes("setup/share"),
  );
  const { status } = spawnSync(join(CHECKOUT, "node_modules/.bin/vitest"), ["run", ...shared], {
    cwd: CHECKOUT,
    stdio: "inherit",
    env: { ...process.env, STEMZO_CASES: "all" },
  });
  process.exit(status ?? 1);
}

async function main(): Promise<void> {
  if (values.tests) tests();
  if (values.mutations !== undefined) {
    await mutations(Number(values.mutations));
    process.exit(failures.length === 0 ? 0 : 1);
  }
  await buildWorker("dist/truth");
  if (values.fixes !== undefined) {
    await fixes();
    process.exit(failures.length === 0 ? 0 : 1);
  }
  const workshop = new Workshop(new ThreadPool(pathToFileURL(join(CHECKOUT, "dist/truth/task.thread.mjs"))));
  await workshop.prepare();
  try {
    await doors(workshop);
    if (!values.doors) {
      await deliveries(workshop);
      await provoked(workshop);
    }
  } finally {
    await workshop.close();
  }
  if (!values.doors) {
    parts();
    await fixes();
    slips();
  }
  console.log(failures.length === 0 ? "nothing was found that is not as promised" : `${failures.length} faults`);
  process.exit(failures.length === 0 ? 0 : 1);
}

void main();
