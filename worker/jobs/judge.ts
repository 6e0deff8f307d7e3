import { isMixName } from "../../core/interchange/mix-name";
import { membersOf } from "../../core/mending/mended";
import { sessionRateOf } from "../../core/interchange/from-timeline";
import type { StatedTempo } from "../../core/mending/judge-set";
import type { Timeline } from "../../core/timeline/timeline";
import { MediaImport, STALL_MS } from "../intake/media-import";
import type { Brought } from "../intake/media-import";
import { sentFiles } from "../intake/sent";
import type { CarryOut } from "../context/job-context";
import { NothingReadable, done } from "../context/job-context";

/** What compresses with loss. */
const CODECS: Readonly<Record<string, string>> = { mp3: "MP3", vorbis: "Ogg Vorbis", opus: "Opus" };

export const judge: CarryOut<"judge"> = async (job, request, context) => {
  const { db, store, pool, signal, report, dataRoot } = context;
  const sent = await sentFiles(store, request.files);
  const say = (stage: string, part: number) => report({ stage, done: part, speed: null, secondsLeft: null });
  const opened = await pool.run<"open arrival">(
    { kind: "open arrival", files: sent, candidate: request.candidate, dataRoot },
    { signal, stallMs: STALL_MS, onProgress: () => say("reading the set", 0) },
  );
  const mediaImport = new MediaImport(context);
  try {
    const members = membersOf(opened.timeline);
    const rate = sessionRateOf(opened.timeline);
    const brought = new Map<string, Brought>();
    await mediaImport.each(members, async ({ path, name, media, channel }) => {
      const one = await mediaImport.file({ media, channel }, name, opened, rate);
      if (one) brought.set(path, one);
    });
    const files = members.flatMap(({ path, name }) => {
      const one = brought.get(path);
      if (!one) return [];
      const { file, was } = one;
      const codec = CODECS[was.kind] ?? null;
      const { rate: ofFile, depth, timeReference } = was;
      const facts = { path, name, rate: ofFile, depth, codec, timeReference };
      return [{ ...facts, stored: file.path, frames: file.frames, measures: file.measures, format: file.format }];
    });
    if (files.length === 0) throw new NothingReadable([{ name: opened.timeline.name, why: "there is no sound in it" }]);
    const mix = request.mix === null ? mixAmong(files) : (files.find((f) => f.path === request.mix)?.path ?? null);
    const judged = await pool.run<"judge">(
      {
        kind: "judge",
        files: files.map(({ format: _format, ...f }) => f),
        mix,
        rate,
        tempo: statedTempo(opened.timeline),
      },
      { signal, onProgress: (thousandths) => say("holding the files against each other", thousandths / 1000) },
    );
    const sides = opened.pairs.map(({ id, left: { id: left }, right: { id: right } }) => {
      const path = members.find((m) => m.media === id)?.path ?? left;
      return { kind: "sides", weight: "look", file: path, of: right } as const;
    });
    await done(db, job, {
      kind: "judge",
      judged: { ...judged, findings: [...judged.findings, ...sides] },
      files: files.map(({ path, name, rate: ofFile, depth, format, frames, measures }) => ({
        path,
        name,
        rate: ofFile,
        depth,
        channels: format.channels,
        frames,
        peakDb: measures.peakDb,
        lufs: measures.lufs,
        firstSound: measures.firstSound,
      })),
    });
  } finally {
    await mediaImport.tidy(opened.scratch);
  }
};

function statedTempo({ tempo }: Timeline): StatedTempo {
  const [first, ...more] = tempo ?? [];
  return first === undefined ? "nowhere" : more.length > 0 ? "changing" : first.bpm;
}

/** The file that is called the mix; of several the one before its chain, which stems add up to. */
function mixAmong(files: readonly { readonly path: string; readonly name: string }[]): string | null {
  if (files.length < 2) return null;
  const mixes = files.filter((f) => isMixName(f.name));
  return (mixes.find((f) => /before|unmastered|premaster|dry/i.test(f.name)) ?? mixes[0])?.path ?? null;
}
