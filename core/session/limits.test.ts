import { describe, expect, test } from "vitest";
import { makeAudioClip, makeDevice, makeLane, makeNest, makeSend, makeSession, makeTrack } from "./build";
import type { Session } from "./document";
import type { Edit } from "./edits";
import { applyStep } from "./edits";
import { MOST_CLIPS, MOST_OF, MOST_PARAMS, MOST_VALUES } from "./limits";
import { readSession } from "./read";
import type { OfTrack } from "./collections";
import type { CollectionName } from "./records";
import { OF_TRACK } from "./collections";

const ASSET = "a".repeat(64);
const asset = (n: number) => ({
  ...{ id: n.toString(16).padStart(64, "0"), name: `${n}`, frames: 10, rate: 48000, channels: 1 as const },
  origin: "generated" as const,
});
const clip = (n: number) => makeAudioClip({ id: `c${n}`, asset: ASSET, start: n, frames: 10 });
const lane = (n: number) => makeLane(`l${n}`, "send", [{ tick: 0, value: 0 }], `s${n}`);

/** The nth record of each list, on the track "t" where it is a track's. */
const nth: Record<CollectionName, (n: number) => object> = {
  tracks: (n) => makeTrack({ id: `n${n}`, name: `${n}`, kind: "audio" }),
  phrases: (n) => ({ id: `p${n}`, name: `${n}`, ticks: 1, notes: [] }),
  assets: asset,
  instruments: (n) => ({ id: `i${n}`, name: `${n}`, origin: "", zones: [], modulators: [] }),
  markers: (n) => ({ id: `m${n}`, name: `${n}`, tick: n }),
  ranges: (n) => ({ id: `r${n}`, name: `${n}`, from: n, to: n + 1 }),
  rows: (n) => ({
    ...{
      id: `w${n}`,
      name: `${n}`,
      sources: ["t"],
      tap: "channel",
      returns: false,
      linked: false,
      channels: "as it is",
      ticked: true,
    },
  }),
  clips: clip,
  takes: (n) => ({ id: `k${n}`, name: `${n}`, clips: [] }),
  devices: (n) => makeDevice(`d${n}`, "utility"),
  sends: (n) => makeSend(`s${n}`, "hall", -3, "after fader"),
  automation: lane,
};
const isOfTrack = (name: CollectionName): name is OfTrack => (OF_TRACK as readonly string[]).includes(name);

/** A session whose list holds so many records already. */
function filled(name: CollectionName, count: number): Session {
  const list = Array.from({ length: count }, (_, n) => nth[name](n));
  const own = isOfTrack(name) ? { [name]: list } : {};
  // Lanes move sends, of which there may be half as many: the others move what a device has.
  const more = name === "automation" ? lanesOf(count) : own;
  const session = makeSession({
    assets: [{ ...asset(0), id: ASSET }],
    tracks: [
      makeTrack({ id: "t", name: "T", kind: "audio", ...more }),
      makeTrack({ id: "hall", name: "Hall", kind: "return" }),
      makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
    ],
  });
  if (isOfTrack(name)) return session;
  if (name === "rows") return { ...session, sheet: { ...session.sheet, rows: list as never } };
  const before = session[name] as readonly object[];
  return { ...session, [name]: [...before, ...list.slice(before.length)] };
}
const SENDS = 32;
const PARAMS = ["gainDb", "width", "pan"];
function lanesOf(count: number) {
  const sends = Array.from({ length: SENDS }, (_, n) => makeSend(`s${n}`, "hall", -3, "after fader"));
  const devices = Array.from({ length: 20 }, (_, n) => makeDevice(`d${n}`, "utility"));
  const automation = Array.from({ length: count }, (_, n) =>
    n < SENDS
      ? lane(n)
      : makeLane(`l${n}`, "param", [{ tick: 0, value: 0 }], `d${Math.floor((n - SENDS) / 2)}`, PARAMS[n % 2]),
  );
  return { sends, devices, automation };
}
const add = (name: CollectionName, item: object): Edit =>
  ({ do: "add", in: name, ...(isOfTrack(name) ? { track: "t" } : {}), item, index: 0 }) as unknown as Edit;
const remove = (name: CollectionName, id: string): Edit =>
  ({ do: "remove", in: name, ...(isOfTrack(name) ? { track: "t" } : {}), id }) as unknown as Edit;
const apply = (session: Session, ...edits: Edit[]) => applyStep(session, { label: "It", edits });
const idOf = (session: Session, name: CollectionName): string => {
  const list: readonly { readonly id: string }[] = isOfTrack(name)
    ? session.tracks[0]![name]
    : name === "rows"
      ? session.sheet.rows
      : session[name];
  return list.at(-1)!.id;
};

describe("a list of a session that is full", () => {
  test.each(Object.keys(MOST_OF) as CollectionName[])("%s: is read, takes no more, and gives away", (name) => {
    const most = MOST_OF[name];
    const full = filled(name, most);
    expect(readSession(JSON.parse(JSON.stringify(full)))).toMatchObject({ ok: true });
    const one = name === "automation" ? makeLane("more", "pan", [{ tick: 0, value: 0 }]) : nth[name](most);
    const more = apply(full, add(name, one));
    expect(more).toMatchObject({ ok: false });
    expect(!more.ok && more.problems.map((p) => p.what).join()).toContain(`at most ${most} can be`);
    // In one step one may go for one that comes.
    expect(apply(full, add(name, one), remove(name, idOf(full, name)))).toMatchObject({ ok: true });
    // A session from before this limit may have more: it may shrink, and stays editable.
    const over = filled(name, most + 2);
    expect(apply(over, { do: "set", in: "tracks", id: "t", patch: { faderDb: -3 } })).toMatchObject({ ok: true });
  });
});

test("a session that has more than it may becomes less, and no more", () => {
  const over = filled("tracks", MOST_OF.tracks + 2);
  const less = apply(over, remove("tracks", "n900"));
  if (!less.ok) throw new Error(less.problems[0]?.what);
  expect(apply(less.value.session, add("tracks", nth.tracks(5000)))).toMatchObject({ ok: false });
});

describe("a session as a whole", () => {
  const clips = Array.from({ length: MOST_OF.clips }, (_, n) => clip(n));
  const tracks = (count: number, own: object) =>
    Array.from({ length: count }, (_, n) => makeTrack({ id: `t${n}`, name: `${n}`, kind: "audio", ...own }));
  const sessionOf = (list: Session["tracks"]) =>
    makeSession({
      assets: [{ ...asset(0), id: ASSET }],
      tracks: [...list, makeTrack({ id: "mix", name: "Mix", kind: "mix" })],
    });

  test("holds so many clips, wherever they lie", () => {
    const session = sessionOf(tracks(12, { clips }));
    const fill = (count: number): Edit => ({
      ...{ do: "add", in: "takes", track: "t0", index: 0 },
      item: { id: `k${count}`, name: "", clips: clips.slice(0, count) },
    });
    const left = MOST_CLIPS - 12 * MOST_OF.clips;
    const full = apply(session, fill(left));
    if (!full.ok) throw new Error(full.problems[0]?.what);
    for (const edit of [
      fill(1),
      { do: "add", in: "tracks", index: 0, item: makeTrack({ id: "new", name: "", kind: "audio", clips: [clip(1)] }) },
    ] as const) {
      const more = apply(full.value.session, edit);
      expect(!more.ok && more.problems.map((p) => p.what)).toEqual([
        `there would be ${MOST_CLIPS + 1} clips: a session holds at most ${MOST_CLIPS}`,
      ]);
    }
    // What lies in a nest counts as the nest does.
    const nest = makeNest({ id: "nest", start: 0, offset: 0, frames: 10, children: clips.slice(0, 1) });
    const nested = apply(session, fill(left - 1), { do: "add", in: "clips", track: "t0", index: 0, item: nest });
    expect(!nested.ok && nested.problems.map((p) => p.what).join()).toContain("clips: a session holds at most");
  });

  test("holds so many notes and points", () => {
    const points = Array.from({ length: 100_000 }, (_, n) => ({ tick: n, value: 0 }));
    const lanes = Array.from({ length: 3 }, (_, n) =>
      makeLane(`l${n}`, (["fader", "pan", "mute"] as const)[n]!, points),
    );
    const session = sessionOf(tracks(6, { automation: lanes }));
    const notes = Array.from({ length: 100_000 }, (_, n) => ({ tick: n, ticks: 1, pitch: 60, velocity: 64 }));
    const phrase = (id: string, count: number): Edit => ({
      ...{ do: "add", in: "phrases", index: 0 },
      item: { id, name: "", ticks: 1, notes: notes.slice(0, count) },
    });
    expect(6 * 3 * points.length + 2 * notes.length).toBe(MOST_VALUES);
    expect(apply(session, phrase("a", 100_000), phrase("b", 100_000))).toMatchObject({ ok: true });
    const more = apply(session, phrase("a", 100_000), phrase("b", 100_000), phrase("c", 1));
    expect(!more.ok && more.problems.map((p) => p.what)).toEqual([
      `there would be ${MOST_VALUES + 1} notes and points: a session holds at most ${MOST_VALUES}`,
    ]);
  });

  test("counts the parameters of a device of unknown type", () => {
    const session = sessionOf(tracks(1, { devices: [makeDevice("d", "foreign")] }));
    const params = (from: number, count: number) =>
      Object.fromEntries(Array.from({ length: count }, (_, n) => [`p${from + n}`, 0]));
    const set = (list: Record<string, number>): Edit =>
      ({ do: "set", in: "devices", track: "t0", id: "d", patch: { params: list } }) as Edit;
    const full = apply(session, set(params(0, MOST_PARAMS)));
    if (!full.ok) throw new Error(full.problems[0]?.what);
    expect(apply(full.value.session, set(params(5, 10)))).toMatchObject({ ok: true });
    expect(apply(full.value.session, set(params(MOST_PARAMS, 1)))).toMatchObject({ ok: false });
  });
});
