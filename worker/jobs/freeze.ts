import { freezeStep, liveFor, planFreeze } from "../../core/printing/freeze";
import { readDocument } from "../../server/services/sessions";
import { appendStep } from "../../server/services/steps";
import type { CarryOut } from "../context/job-context";
import { done, nameOf, orFail } from "../context/job-context";
import { printBext, runPass } from "../printing/pass";

export const freeze: CarryOut<"freeze"> = async (job, { tracks }, context) => {
  const { document, revision } = await readDocument(context.db, job.session);
  const plan = orFail(planFreeze(document, tracks));
  const pass = await runPass(
    job,
    {
      document,
      revision,
      each: true,
      threads: context.threads,
      stage: "rendering",
      ofJob: (part) => part,
      files: plan.map((render) => ({
        key: render.fingerprint,
        name: `${nameOf(document, render.track)} print`,
        of: nameOf(document, render.track),
        sources: [render.track],
        at: 0,
        to: render.to,
        output: {
          tap: render.tap,
          ditherSeed: null,
          foldMono: true,
          cut: { from: 0, to: render.to },
          format: { rate: document.rate, channels: 2, depth: "32f" },
          bext: printBext(0),
        },
      })),
      passOf: (fresh) => ({
        session: liveFor(document, tracks),
        from: 0,
        to: Math.max(0, ...fresh.map((f) => f.to)),
        tail: "whole",
      }),
    },
    context,
  );
  await context.db.transaction(async (tx) => {
    const kept = await pass.keep(tx);
    const made = kept.map(({ place, asset, audio, reused }) => ({
      ...(plan[place] as (typeof plan)[number]),
      asset,
      audio,
      reused,
    }));
    // Tracks that were deleted or frozen otherwise meanwhile keep what was done to them.
    await appendStep(tx, job.session, job.id, (now) => {
      const still = made.filter((m) => now.tracks.some((t) => t.id === m.track && !t.parked));
      return still.length > 0 ? freezeStep(now, still) : null;
    });
    await done(tx, job, {
      kind: "freeze",
      speed: pass.speed,
      since: pass.since,
      silent: [...pass.silent],
      prints: made.map(({ track, to, audio, reused }) => ({
        track,
        asset: audio.hash,
        frames: audio.frames,
        reused,
        peakDb: audio.measures.peakDb,
        lufs: audio.measures.lufs,
        tailFrames: Math.max(0, audio.frames - to),
      })),
    });
  });
};
