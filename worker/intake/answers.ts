import { rm } from "node:fs/promises";
import type { ResultOf } from "../../contract/job-kinds";
import type { Answering } from "../../core/interchange/answers";
import { answeredFile, isAligned, trackOfTitle } from "../../core/interchange/answers";
import type { FoundMedia } from "../../core/interchange/from-timeline";
import { mediaKey } from "../../core/interchange/from-timeline";
import type { Session } from "../../core/session/document";
import type { Timeline } from "../../core/timeline/timeline";
import { openPackage } from "../../server/packages/read";
import { listHandoffs, readHandoff } from "../../server/services/handoffs";
import { copyOut } from "../files/copy-out";
import type { JobContext } from "../context/job-context";

type Told = ResultOf<"take in">["answers"];

/**
 * What came back to a session: files that are called as something of the newest package that was handed on and is still
 * here. Each is held against what was sent, so that it stands where that stood. By the ids of the timeline's tracks.
 */
export async function answersOf(
  session: { readonly id: string; readonly document: Session },
  timeline: Timeline,
  found: ReadonlyMap<string, FoundMedia>,
  { db, store, pool, signal, report }: JobContext,
): Promise<{ readonly told: Told; readonly byTrack: ReadonlyMap<string, Answering> }> {
  const told: Told[number][] = [];
  const byTrack = new Map<string, Answering>();
  const newest = (await listHandoffs(db, session.id)).find((h) => h.isHere && h.files > 0);
  if (!newest) return { told, byTrack };
  const { document } = session;
  const { manifest } = await readHandoff(db, newest.id);
  const silence = Math.round((manifest.silence.frames * document.rate) / manifest.rate);
  const began = Math.round((manifest.range.from * document.rate) / manifest.session.rate);
  const opened = await openPackage(await store.packages.local(newest.id));
  const scratch: string[] = [];
  try {
    for (const { id, name, clips } of timeline.tracks) {
      const [clip] = clips;
      const sent = clip && answeredFile(name, manifest);
      const media = clip && found.get(mediaKey(clip.media, clip.channel));
      const entry = sent && opened.entries.get(sent.name);
      if (!sent || !media || media.isMissing || !entry) continue;
      report({ stage: `holding ${name} against what was sent`, done: 0.9, speed: null, secondsLeft: null });
      const [from, to] = [store.unfinished(), store.unfinished()];
      scratch.push(from, to);
      copyOut(entry.source, from);
      const [imported] = await pool.run<"import">(
        { kind: "import", from, to, name: sent.title, rate: document.rate },
        { signal },
      );
      if (!imported) continue;
      scratch.push(imported.file.path);
      const aligned = await pool.run<"align">(
        { kind: "align", file: await store.audioHere(media.asset.id), sent: imported.file.path },
        { signal },
      );
      const shift = isAligned(aligned) ? aligned.shift : 0;
      byTrack.set(id, {
        at: began - silence + shift,
        below: sent.role === "stem" ? (trackOfTitle(document, sent.title)?.id ?? null) : null,
      });
      told.push({ name, title: sent.title, sentAt: newest.madeAt, aligned: isAligned(aligned) ? aligned : null });
    }
  } finally {
    opened.close();
    await Promise.all(scratch.map((path) => rm(path, { force: true })));
  }
  return { told, byTrack };
}
