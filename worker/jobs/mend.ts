import { randomUUID } from "node:crypto";
import { rm } from "node:fs/promises";
import { atTempo, fromTimeline, mediaKey } from "../../core/interchange/from-timeline";
import { measuredFirstSound, membersOf, mendedSheet, mendedTimeline } from "../../core/mending/mended";
import { requestJob } from "../../server/services/jobs";
import { insertSession } from "../../server/services/sessions";
import { MediaImport, STALL_MS } from "../intake/media-import";
import { sentFiles } from "../intake/sent";
import type { CarryOut } from "../context/job-context";
import { done } from "../context/job-context";

export const mend: CarryOut<"mend"> = async (job, request, context) => {
  const { db, store, pool, signal, report, dataRoot } = context;
  const { judged, candidate, handOn } = request;
  const sent = await sentFiles(store, request.files);
  const opened = await pool.run<"open arrival">(
    { kind: "open arrival", files: sent, candidate, dataRoot },
    {
      signal,
      stallMs: STALL_MS,
      onProgress: () => report({ stage: "reading the set", done: 0, speed: null, secondsLeft: null }),
    },
  );
  const mediaImport = new MediaImport(context);
  try {
    const members = membersOf(opened.timeline);
    const mends = new Map(judged.mends.map((m) => [m.path, m]));
    const mendOf = new Map(members.map((m) => [mediaKey(m.media, m.channel), mends.get(m.path) ?? null]));
    const found = await mediaImport.media(opened.timeline, opened, judged.rate, (key) => mendOf.get(key) ?? null);
    const firstSound = measuredFirstSound(members, (key) => {
      const hash = found.get(key)?.asset.id;
      return hash === undefined ? null : (mediaImport.written(hash)?.measures.firstSound ?? null);
    });
    const frames = new Map([...found].map(([key, { asset }]) => [key, asset.frames]));
    const timeline = mendedTimeline(
      { ...atTempo(opened.timeline, request.bpm), name: request.name.trim() || opened.timeline.name },
      judged.mends,
      { mix: judged.mix, rate: judged.rate, frames: judged.frames, lengths: frames, firstSound },
    );
    const { session } = fromTimeline(timeline, found, { newId: randomUUID, rate: judged.rate });
    // What a person states is stated from now on.
    const findings = judged.findings.filter((f) => request.bpm === null || f.kind !== "no tempo");
    const sheet = mendedSheet(session, { ...judged, findings }, randomUUID);
    await db.transaction(async (tx) => {
      await mediaImport.record(tx);
      const id = randomUUID();
      await insertSession(tx, { ...session, sheet }, id);
      const exported = handOn
        ? await requestJob(tx, id, { kind: "export", since: null, full: true, only: null })
        : null;
      await done(tx, job, { kind: "mend", session: id, export: exported?.id ?? null });
    });
    await Promise.all(sent.map((f) => rm(f.stored, { force: true })));
  } finally {
    await mediaImport.tidy(opened.scratch);
  }
};
