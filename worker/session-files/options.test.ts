import type { ChildProcess } from "node:child_process";
import fc from "fast-check";
import { afterAll, beforeAll, expect, test } from "vitest";
import type { Session, SessionFile } from "../../core/session/document";
import { hashOf } from "../../core/testing/listen";
import { randomSessions, sounds } from "../../core/testing/random-session";
import { requestExport } from "../../server/services/handoffs";
import { createSession } from "../../server/services/sessions";
import type { Fresh } from "../../tests/setup/fresh";
import { fresh, keep } from "../../tests/setup/fresh";
import { ended, over, proven, startRenderProcess } from "../../tests/setup/render-process";
import { share } from "../../tests/setup/share";

let at: Fresh;
let process: ChildProcess;
const hashes: string[] = [];
beforeAll(async () => {
  at = await fresh();
  for (const n of [1, 2, 3]) hashes.push((await keep(at, `${n}`, sounds[hashOf(n)]!)).id);
  process = await startRenderProcess(at);
});
afterAll(async () => {
  process.kill("SIGKILL");
  await ended(process);
  await at.close();
});

/** With files of the store in place of the generator's. */
const real = (session: Session): Session =>
  JSON.parse(
    hashes.reduce((text, hash, i) => text.replaceAll(hashOf(i + 1), hash), JSON.stringify(session)),
  ) as Session;

const howOf = (kind: SessionFile["kind"]): fc.Arbitrary<SessionFile> =>
  fc.record({
    kind: fc.constant(kind),
    print: fc.constantFrom("nothing", "devices", "channels", "both"),
    printDepth: fc.constantFrom("24", "32f"),
    curvedFades: fc.constantFrom("printed", "straight"),
    mutedTracks: fc.constantFrom("left out", "sounding"),
    stereo: fc.constantFrom("one file", "two mono"),
    audio: fc.constantFrom("inside", "beside"),
    folder: fc.constantFrom("", "/Users/ada/My mix", "D:\\Ton\\Mischung"),
    media: fc.constantFrom("whole files", "what is played"),
    handleSeconds: fc.constantFrom(0, 0.1, 2),
    frameRate: fc.constantFrom("24", "25", "29.97", "29.97 drop", "30"),
    startPictureFrames: fc.constantFrom(0, 1, 90_000),
  });

const tellings = fc.tuple(
  randomSessions(),
  fc.tuple(howOf("aaf"), howOf("adl"), howOf("otio"), howOf("dawproject"), howOf("midi")),
);

test("whatever is asked of session files, the proof reads them back from the package as they were told", async () => {
  let told = 0;
  const runs = share(12, 4);
  for (const [i, [session, sessionFiles]] of fc.sample(tellings, { seed: 77, numRuns: runs }).entries()) {
    const document = real({ ...session, name: `Told ${i}`, sheet: { ...session.sheet, sessionFiles } });
    const { id } = await createSession(at.db, document);
    told++;
    const asked = await requestExport(at.db, id, { since: null, full: true, only: "session files" });
    const job = await over(at, asked.id);
    expect([i, sessionFiles, job.fault]).toEqual([i, sessionFiles, null]);
    const { proof } = await proven(at, job.id);
    if (proof.verdict.beside?.mark !== "right")
      expect([i, sessionFiles, proof.verdict.beside]).toMatchObject([i, sessionFiles, { mark: "right" }]);
  }
  expect(told).toBeGreaterThan(runs / 4);
}, 600_000);
