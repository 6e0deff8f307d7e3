import type { Canonical } from "../../core/canonical";
import { canonicalJson } from "../../core/canonical";
import type { SessionFileFacts } from "../../core/delivery/manifest";
import { MalformedFile } from "../../core/formats/bytes/bytes";
import { inGroups } from "../../core/formats/dawproject/facts";
import { compareTimelines } from "../../core/interchange/compare";
import { sessionKinds } from "../../core/interchange/kinds";
import { PrintPool, planSessionFile } from "../../core/interchange/plan";
import type { PrintFacts } from "../../core/interchange/media-library";
import { toTimeline } from "../../core/interchange/to-timeline";
import type { BesideFault } from "../../core/proof/judge";
import type { Session } from "../../core/session/document";
import type { TimelineMedia } from "../../core/timeline/timeline";
import type { PackageReader } from "../../server/packages/read";
import { CandidateReader } from "../candidates/candidate-reader";
import { Arrived } from "../candidates/items";
import { hashOf } from "../candidates/probe";
import { sayDifference } from "../../core/words/read-back";
import { sayRefusals } from "../../core/words/refusals";

/**
 * Reads every session file of a package back from it and holds it to the session: every clip to the frame, and the
 * audio by its hash. Answers with everything that is not as in the session.
 */
export async function sessionFileFaults(
  session: Session,
  { manifest, entries }: Pick<PackageReader, "manifest" | "entries">,
  throwIfCancelled: () => void,
): Promise<readonly BesideFault[]> {
  const faults: BesideFault[] = [];
  const arrived = new Arrived(() => {
    throw new MalformedFile("a session file of a package is packed");
  });
  for (const facts of manifest.sessionFiles) {
    const entry = entries.get(facts.name);
    if (!entry) faults.push({ kind: "missing", name: facts.name });
    else if ((await entry.sha256()) !== facts.sha256) faults.push({ kind: "other bytes", name: facts.name });
    for (const { name, sha256 } of facts.beside) {
      const beside = entries.get(name);
      if (!beside) faults.push({ kind: "missing", name });
      else if ((await beside.sha256()) !== sha256) faults.push({ kind: "other bytes", name });
    }
  }
  if (faults.length > 0) return faults;
  for (const [name, { source }] of entries)
    if (name.includes("/")) await arrived.add(name, source, "", 0, throwIfCancelled);
  const pool = new PrintPool(session);
  // What was told as two mono files is held to two mono files.
  const reader = new CandidateReader(arrived, throwIfCancelled, false);
  const opened = await reader.all();
  for (const facts of manifest.sessionFiles) {
    throwIfCancelled();
    const { carries } = sessionKinds[facts.kind];
    const found = opened.find((o) => o.path === facts.name);
    if (!found) {
      const why = arrived.left.find((l) => l.path === facts.name)?.why ?? "it is not recognised";
      faults.push({ kind: "unreadable", name: facts.name, what: why });
      continue;
    }
    if (!carries) {
      if (canonicalJson((found.bundle?.session ?? null) as Canonical) !== canonicalJson(session as Canonical))
        faults.push({ kind: "other session", name: facts.name });
      for (const e of found.bundle?.index.entries ?? []) {
        const part = arrived.items.find((i) => i.path === facts.name)?.entries.find((x) => x.name === e.name);
        if (!part?.stored || hashOf(part.stored, throwIfCancelled) !== e.sha256)
          faults.push({ kind: "other part", name: facts.name, part: e.name });
      }
      continue;
    }
    const plan = planSessionFile(session, carries, facts.how, pool);
    if (!plan.ok) {
      faults.push({ kind: "differs", name: facts.name, what: sayRefusals(plan.refusals) });
      continue;
    }
    const exported = toTimeline(plan.value, printsOf(facts));
    const order = facts.kind === "dawproject" ? inGroups : undefined;
    for (const difference of compareTimelines(exported.timeline, found.timeline, order))
      faults.push({ kind: "differs", name: facts.name, what: sayDifference(difference) });
    for (const [id, medium] of found.media) {
      const read = found.timeline.media.find((m) => m.id === id);
      const name = read?.name ?? "a file";
      const wanted = read ? hashesOf(exported.timeline.media, read) : [];
      if (!medium.source || !medium.facts) faults.push({ kind: "lacks", name: facts.name, part: name });
      else if (!wanted.includes(null) && !wanted.includes(hashOf(medium.source, throwIfCancelled)))
        faults.push({ kind: "other part", name: facts.name, part: name });
    }
  }
  return faults;
}

const printsOf = (facts: SessionFileFacts): ReadonlyMap<string, PrintFacts> =>
  new Map(
    facts.prints.map((p) => [
      p.id,
      { from: p.from, frames: p.frames, channels: p.channels === 1 ? 1 : 2, sha256: p.sha256 },
    ]),
  );

/**
 * What a file that was read back may be: readers give files in an order of their own, so it is one of those of its name
 * and length, else of its length. Null among them: one was cut for this session file alone, and has no hash to be held
 * to.
 */
function hashesOf(told: readonly TimelineMedia[], read: TimelineMedia): readonly (string | null)[] {
  const alike = told.filter((m) => m.frames === read.frames && m.rate === read.rate && m.channels === read.channels);
  const named = alike.filter((m) => m.name === read.name);
  const may = named.length > 0 ? named : alike.length > 0 ? alike : told;
  return may.map((m) => m.sha256);
}
