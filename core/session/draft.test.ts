import fc from "fast-check";
import { expect, test } from "vitest";
import { randomSessions } from "../testing/random-session";
import { makeAudioClip, makeSend, makeTrack } from "./build";
import type { Session } from "./document";
import type { Edit } from "./edits";
import { applyEdits } from "./edits";

const IN_TRACKS = ["clips", "devices", "sends", "automation", "takes"] as const;
const OF_SESSION = ["tracks", "phrases", "assets", "markers"] as const;

interface Drawn {
  readonly in: (typeof IN_TRACKS)[number] | (typeof OF_SESSION)[number];
  readonly kind: "set" | "move" | "remove" | "add" | "set list" | "set session";
  readonly track: number;
  readonly item: number;
  readonly index: number;
}

const drawn: fc.Arbitrary<Drawn> = fc.record({
  in: fc.constantFrom("clips", "clips", "clips", ...IN_TRACKS, ...OF_SESSION, "tracks"),
  kind: fc.constantFrom("set", "set", "move", "remove", "add", "add", "set list", "set session"),
  track: fc.nat(6),
  item: fc.nat(30),
  index: fc.nat(30),
});

/** The edit that was drawn, on a session as it is now; null where it finds nothing to do. */
function editOn(session: Session, { in: name, kind, track: t, item: i, index: at }: Drawn, n: number): Edit | null {
  const track = session.tracks[t % session.tracks.length];
  if (!track) return null;
  if (kind === "set session") return { do: "set session", patch: { name: `It ${n}` } };
  if (kind === "set list")
    return { do: "set", in: "tracks", id: track.id, patch: { clips: track.clips.slice(1), faderDb: -n / 10 } };
  const isOfTrack = (IN_TRACKS as readonly string[]).includes(name);
  const list: readonly { readonly id: string }[] = isOfTrack
    ? track[name as (typeof IN_TRACKS)[number]]
    : session[name as (typeof OF_SESSION)[number]];
  const place = { in: name, ...(isOfTrack ? { track: track.id } : {}) };
  const index = at % (list.length + 1);
  if (kind === "add") {
    const item =
      name === "clips"
        ? makeAudioClip({ id: `new-${n}`, asset: "0".repeat(64), start: n, frames: 10 })
        : name === "sends"
          ? makeSend(`new-${n}`, "hall", -3, "after fader")
          : name === "tracks"
            ? makeTrack({ id: `new-${n}`, name: "New", kind: "audio", clips: track.clips.slice(0, 2) })
            : name === "markers"
              ? { id: `new-${n}`, name: "Here", tick: n }
              : null;
    return item ? ({ do: "add", item, index, ...place } as unknown as Edit) : null;
  }
  const item = list[i % Math.max(1, list.length)];
  if (!item) return null;
  if (kind === "remove") return { do: "remove", id: item.id, ...place } as Edit;
  if (kind === "move") return { do: "move", id: item.id, index: at % list.length, ...place } as Edit;
  const patch =
    name === "clips" || name === "tracks" || name === "phrases" || name === "assets" || name === "markers"
      ? { name: `Name ${n}` }
      : name === "sends"
        ? { gainDb: -n / 10 }
        : name === "devices"
          ? { on: n % 2 === 0, params: { it: n } }
          : null;
  return patch ? ({ do: "set", id: item.id, patch, ...place } as Edit) : null;
}

test("many edits in one step do what they do one by one, and are taken back by what takes them back one by one", () => {
  let applied = 0;
  fc.assert(
    fc.property(randomSessions(), fc.array(drawn, { minLength: 30, maxLength: 120 }), (session, list) => {
      let now = session;
      const edits: Edit[] = [];
      const inverses: Edit[] = [];
      for (const [n, one] of list.entries()) {
        const edit = editOn(now, one, n);
        const made = edit && applyEdits(now, { label: "One", edits: [edit] });
        if (!made?.ok) continue;
        now = made.value.session;
        edits.push(edit as Edit);
        inverses.unshift(...made.value.inverse.edits);
      }
      const whole = applyEdits(session, { label: "All", edits });
      if (!whole.ok) throw new Error(whole.problems.map((p) => `${p.where}: ${p.what}`).join("; "));
      expect(whole.value.session).toEqual(now);
      expect(whole.value.inverse.edits).toEqual(inverses);
      // What was not touched stays the same object; what was there before is as it was.
      for (const track of session.tracks)
        if (!edits.some((e) => ("track" in e && e.track === track.id) || ("id" in e && e.id === track.id)))
          expect(whole.value.session.tracks.find((t) => t.id === track.id)).toBe(track);
      const back = applyEdits(whole.value.session, whole.value.inverse);
      expect(back.ok && back.value.session).toEqual(session);
      applied += edits.length;
    }),
    { numRuns: 150 },
  );
  expect(applied).toBeGreaterThan(3000);
});

test("an id that is there twice means the first of them, as long as it is", () => {
  const session: Session = fc.sample(randomSessions(), { seed: 4, numRuns: 1 })[0] as Session;
  const marker = (id: string, tick: number) => ({ id, name: id, tick });
  const more = Array.from({ length: 30 }, (_, i): Edit => ({
    do: "add",
    in: "markers",
    item: marker(`m${i}`, i),
    index: i,
  }));
  const made = applyEdits(session, {
    label: "It",
    edits: [
      ...more,
      ...more.map((_, i): Edit => ({ do: "set", in: "markers", id: `m${i}`, patch: { tick: 100 + i } })),
      { do: "add", in: "markers", item: marker("m20", 7), index: 0 },
      { do: "remove", in: "markers", id: "m20" },
      { do: "set", in: "markers", id: "m20", patch: { tick: 9 } },
    ],
  });
  if (!made.ok) throw new Error(made.problems[0]?.what);
  expect(made.value.session.markers.map((m) => m.tick)).toEqual(more.map((_, i) => (i === 20 ? 9 : 100 + i)));
});
