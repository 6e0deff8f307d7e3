import { randomUUID } from "node:crypto";
import { readdir, rm } from "node:fs/promises";
import { basename, join } from "node:path";
import { madeBy } from "../../core/printing/step";
import type { Asset } from "../../core/session/document";
import type { Edit } from "../../core/session/edits";
import { placeInstruments } from "../../core/session/instrument-edits";
import { recordAudio } from "../../server/services/audio";
import { readInstrumentFile } from "../../server/services/instruments";
import { appendStep } from "../../server/services/steps";
import type { CarryOut } from "../context/job-context";
import { done } from "../context/job-context";
import type { MadeInstrument } from "../instruments/make";

const STALL_MS = 30_000;

/** Makes instruments of presets, takes their recordings into the store, and puts them on tracks in one step. */
export const putInstrument: CarryOut<"put instrument"> = async (job, request, { db, store, pool, signal, report }) => {
  const file = await readInstrumentFile(db, request.file);
  const path = await store.instruments.local(request.file);
  const presets = [...new Set(request.puts.map((p) => p.preset))];
  const made = new Map<number, MadeInstrument>();
  /** What paths of files that are made begin with: a thread that is ended leaves them behind. */
  const begun: string[] = [];
  try {
    for (const [i, preset] of presets.entries()) {
      const to = store.unfinished();
      begun.push(basename(to));
      const stage = `reading ${file.presets[preset]?.name ?? file.name}`;
      const one = await pool.run<"make instrument">(
        {
          ...{ kind: "make instrument", path, preset, id: randomUUID() },
          ...{ attenuation: request.attenuation, to },
        },
        {
          signal,
          stallMs: STALL_MS,
          onProgress: (thousandths) =>
            report({ stage, done: (i + thousandths / 1000) / presets.length, speed: null, secondsLeft: null }),
        },
      );
      made.set(preset, one);
    }
    const samples = new Map([...made.values()].flatMap((m) => m.samples).map((s) => [s.file.sha256, s]));
    for (const { file: sample } of samples.values()) await store.adopt(sample.path, sample.sha256);
    await db.transaction(async (tx) => {
      for (const { file: sample } of samples.values())
        await recordAudio(tx, sample.sha256, { ...sample, timeReference: null });
      let [edits, put]: [readonly Edit[], readonly { readonly name: string; readonly track: string }[]] = [[], []];
      await appendStep(tx, job.session, job.id, (now) => {
        const arriving = request.puts.flatMap(({ preset, track }) => {
          const one = made.get(preset);
          return one ? [{ instrument: one.instrument, assets: one.samples.map(assetOf), track }] : [];
        });
        const placed = placeInstruments(now, arriving, randomUUID);
        edits = placed?.step.edits ?? [];
        put = placed?.put ?? [];
        return placed?.step ?? null;
      });
      const lost = new Map<string, number>();
      for (const l of [...made.values()].flatMap((m) => m.lost)) lost.set(l.what, (lost.get(l.what) ?? 0) + l.zones);
      await done(tx, job, {
        kind: "put instrument",
        made: madeBy([...edits]),
        put: [...put],
        samples: samples.size,
        lost: [...lost].map(([what, zones]) => ({ what, zones })),
      });
    });
  } finally {
    const left = (await readdir(store.unfinishedFolder)).filter((name) => begun.some((to) => name.startsWith(to)));
    await Promise.all(left.map((name) => rm(join(store.unfinishedFolder, name), { force: true })));
  }
};

const assetOf = ({ name, file: { sha256, frames, format } }: MadeInstrument["samples"][number]): Asset => ({
  ...{ id: sha256, name: name.slice(0, 200), frames, rate: format.rate, channels: format.channels },
  origin: "sample",
});
