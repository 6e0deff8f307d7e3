import { randomUUID } from "node:crypto";
import { atTempo, fromTimeline, sessionRateOf } from "../../core/interchange/from-timeline";
import { layOnStep } from "../../core/interchange/lay-on";
import { lossesOfLayingOn, notKept } from "../../core/interchange/opening";
import { splitPairs } from "../../core/interchange/pairs";
import { madeBy } from "../../core/printing/step";
import type { Session } from "../../core/session/document";
import { insertBundle } from "../../server/services/bundles";
import { insertSession, readDocument } from "../../server/services/sessions";
import { appendStep } from "../../server/services/steps";
import type { Answering } from "../../core/interchange/answers";
import { answersOf } from "../intake/answers";
import { MediaImport, STALL_MS } from "../intake/media-import";
import type { UnpackedBundle } from "../candidates/look";
import { sentFiles } from "../intake/sent";
import type { CarryOut } from "../context/job-context";
import { NothingReadable, done } from "../context/job-context";

/** Opens what arrived: as a session of its own, or on one that is there. */
export const takeIn: CarryOut<"take in"> = async (job, request, context) => {
  const { db, store, pool, signal, report, dataRoot } = context;
  const sent = await sentFiles(store, request.files);
  const opened = await pool.run<"open arrival">(
    { kind: "open arrival", files: sent, candidate: request.candidate, dataRoot },
    { signal, stallMs: STALL_MS, onProgress: () => report(stage("reading the session", 0)) },
  );
  const taking = new MediaImport(context);
  try {
    if (opened.bundle) {
      if (request.into !== null)
        throw new NothingReadable([{ name: opened.timeline.name, why: "a bundle is opened as a session of its own" }]);
      await taking.bundle(opened.bundle);
      const id = randomUUID();
      await db.transaction(async (tx) => {
        await taking.record(tx);
        await insertSession(tx, named(opened.bundle?.session as Session, request.name), id);
        await insertBundle(tx, id, (opened.bundle as UnpackedBundle).beside);
        await done(tx, job, {
          kind: "take in",
          session: id,
          made: madeBy([]),
          missing: 0,
          losses: [],
          answers: [],
          left: [],
        });
      });
    } else {
      const document = request.into === null ? null : (await readDocument(db, request.into)).document;
      const joined = request.joinPairs ? opened.timeline : splitPairs(opened.timeline, opened.pairs);
      const timeline = atTempo(joined, request.bpm);
      const rate = document?.rate ?? sessionRateOf(timeline);
      const found = await taking.media(timeline, opened, rate);
      const ids = new Map<string, string>();
      const made = fromTimeline(timeline, found, { newId: randomUUID, rate, onTrack: (was, is) => ids.set(was, is) });
      const isFiles = /^(files|package)/.test(request.candidate);
      const { told, byTrack } =
        document !== null && request.into !== null && isFiles
          ? await answersOf({ id: request.into, document }, timeline, found, context)
          : { told: [], byTrack: new Map<string, Answering>() };
      const answering = new Map([...byTrack].map(([track, answer]) => [ids.get(track) ?? track, answer]));
      const losses = [
        ...notKept([...opened.losses, ...made.losses]),
        ...(request.into === null ? [] : lossesOfLayingOn(made.session, request.withTempo)),
      ];
      const missing = [...found.values()].filter((f) => f.isMissing).length;
      const left = opened.left.map(({ path, why }) => ({ name: path, why }));
      await db.transaction(async (tx) => {
        await taking.record(tx);
        let id = request.into;
        let put = madeBy([]);
        if (id === null) await insertSession(tx, named(made.session, request.name), (id = randomUUID()));
        else
          await appendStep(tx, id, job.id, (now) => {
            const { frame, withTempo, muted } = request;
            const step = layOnStep(now, made.session, { frame, withTempo, muted, newId: randomUUID, answering });
            put = madeBy(step.edits);
            return step.edits.length === 0 ? null : step;
          });
        await done(tx, job, { kind: "take in", session: id, made: put, missing, losses, answers: told, left });
      });
    }
    await store.uploads.remove(request.files.map((f) => f.upload));
  } finally {
    await taking.tidy(opened.scratch);
  }
};

const stage = (text: string, part: number) => ({ stage: text, done: part, speed: null, secondsLeft: null });

const named = (session: Session, name: string): Session =>
  name.trim() === "" ? session : { ...session, name: name.trim().slice(0, 200) };
