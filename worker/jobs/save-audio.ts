import { rm } from "node:fs/promises";
import { safeName } from "../../core/delivery/naming";
import { readDocument, revisionDate } from "../../server/services/sessions";
import type { CarryOut } from "../context/job-context";
import { done } from "../context/job-context";

/** Writes a piece of audio as a file of the format that is asked for. */
export const saveAudio: CarryOut<"save audio"> = async (
  job,
  { asset, name, format, rate, depth, dither, channels },
  { db, store, pool, signal, report },
) => {
  const { document, revision } = await readDocument(db, job.session);
  const date = await revisionDate(db, job.session, revision);
  const frames = document.assets.find((a) => a.id === asset)?.frames ?? 1;
  const path = store.unfinished();
  try {
    const made = await pool.run<"save audio">(
      {
        kind: "save audio",
        from: await store.audioHere(asset),
        to: path,
        title: name,
        song: document.name,
        bpm: document.tempo[0]?.bpm ?? 120,
        date: date.toISOString().slice(0, 10),
        format,
        rate,
        depth,
        dither,
        channels,
      },
      {
        signal,
        onProgress: (at) =>
          report({ stage: "writing the file", done: Math.min(1, at / frames), speed: null, secondsLeft: null }),
      },
    );
    await store.saved.put(job.id, path);
    await store.sweepSaved();
    await db.transaction((tx) =>
      done(tx, job, {
        kind: "save audio",
        fileName: `${safeName(name)}.${ENDINGS[format]}`,
        bytes: made.bytes,
        frames: made.frames,
        rate: made.format.rate,
        peakDb: made.measures.peakDb,
      }),
    );
  } finally {
    await rm(path, { force: true });
  }
};

const ENDINGS = { wav: "wav", aiff: "aif", flac: "flac", mp3: "mp3" } as const;
