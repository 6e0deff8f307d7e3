import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { adlCarries } from "../formats/adl/facts";
import { aafCarries } from "../formats/aaf/facts";
import { dawprojectCarries } from "../formats/dawproject/facts";
import { otioCarries } from "../formats/otio/facts";
import { readSession } from "../session/read";
import { tapAt, differenceDb, listen } from "../testing/listen";
import { randomSessions, recordings, sounds } from "../testing/random-session";
import { foundInMemory, exportInMemory } from "../testing/session-file-in-memory";
import { fromTimeline } from "./from-timeline";
import type { SessionFileOptions } from "./plan";
import { PrintPool, planSessionFile } from "./plan";
import { panGains } from "../engine/channel";
import { gainToDb } from "../math";
import type { Track } from "../session/document";
import { sessionFileSchema } from "../session/document";
import { sayRefusals } from "../words/refusals";
import { share } from "../../tests/setup/share";

const kinds = { aaf: aafCarries, adl: adlCarries, otio: otioCarries, dawproject: dawprojectCarries };
const counter = () => {
  let n = 0;
  return () => `id-${n++}`;
};

describe("a session told to others and read back", () => {
  const options: fc.Arbitrary<SessionFileOptions> = fc
    .record({
      print: fc.constantFrom("nothing" as const, "devices" as const, "channels" as const),
      media: fc.constantFrom("whole files" as const, "what is played" as const),
      handleSeconds: fc.constantFrom(0, 0.05),
      stereo: fc.constantFrom("one file" as const, "two mono" as const),
    })
    .map((o) => sessionFileSchema.parse({ kind: "aaf", ...o }));

  it.each(Object.keys(kinds) as (keyof typeof kinds)[])("sounds as the tap that was told, by %s", (kind) => {
    fc.assert(
      fc.property(randomSessions(), options, (session, how) => {
        const pool = new PrintPool(session);
        const plan = planSessionFile(session, kinds[kind], how, pool);
        if (!plan.ok) throw new Error(sayRefusals(plan.refusals));
        const { telling, heard } = exportInMemory(plan.value, pool, recordings);
        const { timeline, sources } = telling;
        const { found, library } = foundInMemory(timeline, sources, heard, sounds);
        const opened = fromTimeline(timeline, found, { newId: counter() }).session;
        expect(readSession(JSON.parse(JSON.stringify(opened)))).toMatchObject({ ok: true });
        for (const planned of plan.value.tracks) {
          if (planned.below || planned.how === "left out" || planned.how === "routing" || planned.how === "notes")
            continue;
          const at = planned.how === "clips" ? "clip" : planned.how === "print" ? planned.at : "devices";
          const name = planned.track.name;
          const isOf = (t: Track) => t.name.startsWith(name) && /^( \(\d+\))?( [LR])?$/.test(t.name.slice(name.length));
          const sameName = opened.tracks.filter(isOf);
          // Of two mono tracks each is one side of the track, with its pan as their levels.
          const sides = sameName.map((t) => / [LR]$/.exec(t.name)?.[0].trim() ?? null);
          const panDb = panGains(at === "channel" ? 0 : planned.track.pan).map(gainToDb);
          for (const [i, side] of sides.entries()) {
            const { pan, faderDb } = sameName[i] as Track;
            if (side === null) continue;
            if (kinds[kind].pan.length > 0) expect(pan).toBe(side === "L" ? -1 : 1);
            const own = at === "channel" ? 0 : planned.track.faderDb;
            if (kinds[kind].fader)
              expect(faderDb).toBeCloseTo(Math.max(-144, own + (panDb[side === "L" ? 0 : 1] ?? 0)), 3);
          }
          const [was] = listen(session, [tapAt(at, planned.track.id)], { library: recordings });
          const parts = listen(
            opened,
            sameName.map((t) => tapAt("clip", t.id)),
            { library },
          );
          // What rings on behind the end that the tap has by itself is quieter than its tail's floor.
          const length = was?.left.length ?? 0;
          const sum = (side: "left" | "right", other: "L" | "R") =>
            Float32Array.from({ length }, (_, i) =>
              parts.reduce((s, p, n) => s + (sides[n] === other ? 0 : (p[side][i] ?? 0)), 0),
            );
          const off = differenceDb(was ?? { left: new Float32Array(0), right: new Float32Array(0) }, {
            left: sum("left", "R"),
            right: sum("right", "L"),
          });
          expect(off).toBeLessThan(-140);
        }
      }),
      { numRuns: share(25) },
    );
  });
});
