import fc from "fast-check";
import { expect, it } from "vitest";
import { MIX_OUT, listen } from "../testing/listen";
import { randomSessions, recordings } from "../testing/random-session";
import { tempoMap } from "../time/tempo";
import { applyStep } from "./edits";
import { onsetsInClip, sliceClip } from "./slice";

it("a clip that is sliced anywhere sounds as before, piece behind piece", () => {
  let sliced = 0;
  fc.assert(
    fc.property(randomSessions(), fc.array(fc.nat(48_000), { minLength: 1, maxLength: 12 }), (session, onsets) => {
      const track = session.tracks.find((t) => t.clips.some((c) => c.kind === "audio" && c.process.length === 0));
      const clip = track?.clips.find((c) => c.kind === "audio" && c.process.length === 0);
      if (!track || clip?.kind !== "audio") return;
      const frames = session.assets.find((a) => a.id === clip.asset)?.frames ?? 0;
      const at = onsetsInClip(clip, onsets, frames);
      let n = 0;
      const made = sliceClip(
        session,
        { track: track.id, clip: clip.id },
        at,
        tempoMap(session.tempo, session.rate),
        () => `s${n++}`,
      );
      if (!made.ok) return;
      const after = applyStep(session, { label: "Slice", edits: [...made.value.edits] });
      if (!after.ok) throw new Error(JSON.stringify(after.problems));
      const pieces = made.value.pieces.map((id) =>
        after.value.session.tracks.find((t) => t.id === track.id)?.clips.find((c) => c.id === id),
      );
      let end = clip.start;
      for (const piece of pieces) {
        if (piece?.kind !== "audio") throw new Error("a piece is missing");
        expect(piece.start).toBe(end);
        end = piece.start + piece.frames;
      }
      expect(end).toBe(clip.start + clip.frames);
      const [a] = listen(session, [MIX_OUT], { library: recordings, to: 48000, tail: "none" });
      const [b] = listen(after.value.session, [MIX_OUT], { library: recordings, to: 48000, tail: "none" });
      expect(b!.left).toEqual(a!.left);
      sliced++;
    }),
    { numRuns: 30 },
  );
  expect(sliced).toBeGreaterThan(2);
}, 60_000);
