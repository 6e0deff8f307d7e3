import type { ChildProcess } from "node:child_process";
import { afterAll, beforeAll, expect, test } from "vitest";
import type { ResultOf } from "../../contract/job-kinds";
import { makeAudioClip, makeSession, makeTrack } from "../../core/session/build";
import type { Edit } from "../../core/session/edits";
import { noise } from "../../core/testing/listen";
import { compareVersions, goBack, nameVersion, readHistory } from "../../server/services/history";
import { createSession, documentAt, readDocument, readState } from "../../server/services/sessions";
import { postSteps, travel } from "../../server/services/steps";
import type { Fresh } from "../../tests/setup/fresh";
import { fresh, keep } from "../../tests/setup/fresh";
import { ended, over, startRenderProcess } from "../../tests/setup/render-process";

let at: Fresh;
let process: ChildProcess;
let id: string;
beforeAll(async () => {
  at = await fresh();
  process = await startRenderProcess(at);
  const asset = await keep(at, "noise", noise(96000, 4, 0.5));
  const track = (name: string, start: number) =>
    makeTrack({
      id: name,
      name,
      kind: "audio",
      clips: [makeAudioClip({ id: `clip-${name}`, asset: asset.id, start, frames: 96000 })],
    });
  const document = makeSession({
    assets: [asset],
    tracks: [track("a", 0), track("b", 48000), track("c", 0), makeTrack({ id: "mix", name: "Mix", kind: "mix" })],
  });
  id = (await createSession(at.db, document)).id;
});
afterAll(async () => {
  process.kill("SIGKILL");
  await ended(process);
  await at.close();
});

async function step(label: string, ...edits: Edit[]): Promise<number> {
  const { revision } = await readDocument(at.db, id);
  const posted = await postSteps(at.db, id, revision, [{ id: crypto.randomUUID(), step: { label, edits } }]);
  return posted.revision;
}

test("what was done is listed, points get names, one goes back to any of them, and that is undone", async () => {
  const first = await step("Turn a down", { do: "set", in: "tracks", id: "a", patch: { faderDb: -6 } });
  await step("Rename b", { do: "set", in: "tracks", id: "b", patch: { name: "Bee" } });
  await travel(at.db, id, "undo");
  await step("Turn c down", { do: "set", in: "tracks", id: "c", patch: { faderDb: -3 } });
  await nameVersion(at.db, id, { revision: first, name: "Before lunch" });
  await nameVersion(at.db, id, { revision: 0, name: "Raw" });
  const { points, versions } = await readHistory(at.db, id, { limit: 200 });
  expect(points.map((p) => [p.revision, p.how, p.label, p.version])).toEqual([
    [4, "edit", "Turn c down", null],
    [3, "undo", "Rename b", null],
    [2, "edit", "Rename b", null],
    [1, "edit", "Turn a down", "Before lunch"],
    [0, "edit", "The session began", "Raw"],
  ]);
  expect(versions.map((v) => v.version)).toEqual(["Before lunch", "Raw"]);
  expect((await readHistory(at.db, id, { before: 3, limit: 2 })).points.map((p) => p.revision)).toEqual([2, 1]);

  const now = (await readDocument(at.db, id)).document;
  for (const revision of [0, 1, 2, 3]) {
    const { label } = await goBack(at.db, id, revision);
    expect((await readDocument(at.db, id)).document).toEqual(await documentAt(at.db, id, revision));
    expect((await readState(at.db, id)).undo).toBe(label);
    await travel(at.db, id, "undo");
    expect((await readDocument(at.db, id)).document).toEqual(now);
  }
  await expect(goBack(at.db, id, 999)).rejects.toThrow(/no such point/i);
  await nameVersion(at.db, id, { revision: 0, name: "" });
  expect((await readHistory(at.db, id, { limit: 1 })).versions.map((v) => v.version)).toEqual(["Before lunch"]);
});

test("two versions are compared by what sounds different: which tracks, by how much, where", async () => {
  const { revision } = await readDocument(at.db, id);
  await step("Turn b over from its middle on", {
    do: "set",
    in: "clips",
    track: "b",
    id: "clip-b",
    patch: { frames: 48000 },
  });
  const later = await step("Name it", { do: "set", in: "tracks", id: "a", patch: { name: "Ay" } });
  const job = await over(at, (await compareVersions(at.db, id, { earlier: revision, later })).id);
  const found = job.result as ResultOf<"compare versions">;
  expect(found.changed.map((c) => c.track)).toEqual(["b"]);
  expect(found.same).toBe(2);
  expect([found.added, found.removed]).toEqual([[], []]);
  for (const { spans, peakDb } of [found.changed[0]!, found.mix]) {
    // What is gone was heard from 2 s to 3 s.
    expect(spans).toEqual([{ fromS: 2, toS: 3 }]);
    expect(peakDb).toBeGreaterThan(-12);
  }
  const same = await over(at, (await compareVersions(at.db, id, { earlier: later, later })).id);
  expect((same.result as ResultOf<"compare versions">).changed).toEqual([]);
  await expect(compareVersions(at.db, id, { earlier: 0, later: 999 })).rejects.toThrow(/history/);
});
