import { expect, test } from "vitest";
import { session } from "../testing/bench-session";
import { rank } from "./match";
import { placesOf } from "./places";

const found = (search: string, document = session) => rank(search, placesOf(document, search)).map((p) => p.id);
const named = {
  ...session,
  markers: [{ id: "m", name: "Chorus", tick: 3840 }],
  ranges: [{ id: "r", name: "First verse", from: 0, to: 3840 }],
  tracks: session.tracks.map((t) => (t.id === "a" ? { ...t, name: "Lead vocal" } : t)),
};

test("the palette finds whatever has a name in a session: tracks, clips, devices, markers, ranges, audio, settings", () => {
  expect(found("lead vocal", named)[0]).toBe("track a");
  expect(found("compressor")[0]).toMatch(/^device i k/);
  expect(found("chorus", named)[0]).toBe("marker m");
  expect(found("verse", named)[0]).toBe("range r");
  expect(found("take")).toContain(`asset ${session.assets[0]!.id}`);
  expect(found("sample rate")[0]).toBe("setting Rate");
  expect(found("")).toEqual([]);
  expect(found("zz")).toEqual([]);
});

test("of thousands of clips it offers as many as can be looked through", () => {
  const [track] = session.tracks;
  const many = Array.from({ length: 5000 }, (_, i) => ({ ...track!.clips[0]!, id: `c${i}`, name: `Hit ${i}` }));
  const document = { ...session, tracks: [{ ...track!, clips: many }, ...session.tracks.slice(1)] };
  expect(found("hit", document).length).toBeLessThanOrEqual(40);
});
