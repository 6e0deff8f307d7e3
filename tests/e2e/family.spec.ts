import type { Page } from "@playwright/test";
import type { PrintRecord } from "../../contract/print";
import type { PrintedFacts } from "../../contract/jobs/kind";
import { WavReader } from "../../core/formats/wav/read";
import { makeDevice, makeLane } from "../../core/session/build";
import type { Session, Track } from "../../core/session/document";
import { choose, clipBox, expect, few, head, slip, test } from "./stemzo";
import { pass } from "./real-time";

const done = { timeout: 60_000 };
const printed = async (page: Page) => expect(slip(page)).toContainText(/Last print: /, done);

/** Chooses the first clip of a track by way of the list that mirrors the lanes. */
const chooseClip = (page: Page, name: RegExp) =>
  page.getByRole("list", { name: "Clips" }).getByRole("button", { name }).first().dispatchEvent("click");
const changed = (d: Session, id: string, patch: Partial<Track>): Session => ({
  ...d,
  tracks: d.tracks.map((t) => (t.id === id ? { ...t, ...patch } : t)),
});

test("a phrase is printed and swapped wherever it is placed; the mix is unchanged; undone", async ({
  page,
  stemzo,
}) => {
  const id = await stemzo.demo((d) => {
    const one = few(d, ["hands"]);
    const hands = one.tracks.find((t) => t.id === "hands")!;
    // With one tempo all its placements sound alike; with the demo's two the slip would say why they do not.
    return {
      ...changed(one, "hands", { devices: hands.devices.slice(0, 1) }),
      tempo: d.tempo.slice(0, 1).map((p) => ({ ...p, shape: "hold" as const })),
    };
  });
  const before = (await stemzo.state(id)).document;
  await stemzo.open(page, id);
  await head(page, "Hand percussion").click();
  await chooseClip(page, /Hand|percussion|Hands/i);
  await page.keyboard.press("Shift+P");
  await choose(page, "What is printed", /wherever it is placed/);
  await expect(slip(page)).toContainText("Kit");
  await page.keyboard.press("Control+Enter");
  await printed(page);
  await expect(slip(page)).toContainText(/sounds the same: residual (none|−\d{3} dBFS)/, done);
  const { document } = await stemzo.state(id);
  const [source, print] = [
    document.tracks.find((t) => t.id === "hands")!,
    document.tracks[document.tracks.findIndex((t) => t.id === "hands") + 1]!,
  ];
  const phrase = source.clips.find((c) => c.kind === "notes")!;
  expect(print.clips.length).toBe(
    source.parked ? source.clips.length : before.tracks[0]!.clips.length - source.clips.length,
  );
  expect(print.clips.every((c) => c.kind === "audio" && c.layered)).toBe(true);
  expect(phrase).toBeTruthy();
  await page.keyboard.press("Control+z");
  await expect.poll(async () => (await stemzo.state(id)).document).toEqual(before);
});

test("the kit: audio is carried onto a pad, leveled, tuned, its layers merged into one that sounds the same; reopened from the shelf", async ({
  page,
  stemzo,
}) => {
  const id = await stemzo.demo((d) => few(d, ["hands"]));
  const layers = async (pad: number) =>
    (await stemzo.track(id, "hands")).devices[0]!.layers.filter((l) => l.pad === pad);
  await stemzo.open(page, id);
  await head(page, "Hand percussion").click();
  await page.keyboard.press("d");
  const kit = page.getByRole("region", { name: "Kit" });
  await page
    .getByRole("list", { name: "Audio for pads" })
    .getByRole("listitem")
    .filter({ hasText: "Wood block" })
    .dragTo(kit.getByRole("button", { name: /^Pad 3,/ }));
  await expect.poll(async () => (await layers(2)).length).toBe(2);
  // By keyboard too, onto the pad that is chosen.
  await page.getByRole("button", { name: "Lay Shells onto pad 3" }).focus();
  await page.keyboard.press("Enter");
  await expect.poll(async () => (await layers(2)).length).toBe(3);
  await kit.getByRole("button", { name: /^Take Shells off/ }).click();
  await expect.poll(async () => (await layers(2)).length).toBe(2);
  await kit.getByRole("textbox", { name: "Level of Wood block in dB" }).fill("-7.5");
  await page.keyboard.press("Enter");
  await kit.getByRole("textbox", { name: "Tuning of Wood block in cents" }).fill("350");
  await page.keyboard.press("Enter");
  await expect.poll(async () => (await layers(2)).map((l) => [l.gainDb, l.cents]).at(-1)).toEqual([-7.5, 350]);
  await kit.getByRole("button", { name: "Merge layers" }).click();
  await page.getByRole("menuitem", { name: /Into one sample/ }).click();
  await expect.poll(async () => (await layers(2)).length, done).toBe(1);
  await expect(slip(page)).toContainText(/sounds the same/, done);
  // A pad is copied with all its layers, by carrying it and from the list; there are more than sixteen.
  await kit.getByRole("button", { name: /^Pad 2,/ }).dragTo(kit.getByRole("button", { name: /^Pad 12,/ }));
  await expect
    .poll(async () => (await layers(11)).map((l) => [l.asset, l.softest, l.loudest, l.gainDb]))
    .toEqual((await layers(1)).map((l) => [l.asset, l.softest, l.loudest, l.gainDb]));
  await kit.getByRole("button", { name: /^Pads 17 to 32/ }).click();
  await expect(kit.getByRole("button", { name: /^Pad 17,/ })).toBeVisible();
  await kit.getByRole("button", { name: /^Pads 1 to 16/ }).click();
  await kit.getByRole("button", { name: /^Pad 2,/ }).click();
  await kit.getByRole("button", { name: "Copy", exact: true }).click();
  await page.getByRole("menuitem", { name: /^pad 18 / }).click();
  await expect.poll(async () => (await layers(17)).length).toBe((await layers(1)).length);
  // Layers that answer different strikes: it asks.
  await kit.getByRole("button", { name: /^Pads 1 to 16/ }).click();
  await kit.getByRole("button", { name: /^Pad 1,/ }).click();
  await kit.getByRole("button", { name: "Merge layers" }).click();
  await expect(page.getByRole("menuitem")).toHaveCount(2);
  await page.keyboard.press("Escape");
  await stemzo.open(page, id, "/shelf");
  await page
    .getByRole("list", { name: "Audio" })
    .getByRole("button", { name: /^Reopen the source of Hand percussion pad 3/ })
    .click();
  await expect.poll(async () => (await layers(2)).length).toBe(2);
});

test("a print becomes a layer of a pad", async ({ page, stemzo, request }) => {
  const id = await stemzo.demo((d) => few(d, ["hands", "buoy"]));
  await stemzo.open(page, id);
  await head(page, "Bell buoy").click();
  await page.keyboard.press("Shift+P");
  await choose(page, "Placed", /^a pad of a kit/);
  await choose(page, "Pad", /^pad 9/);
  await choose(page, "Range", /^its first clip/);
  await page.keyboard.press("Control+Enter");
  await expect
    .poll(async () => (await stemzo.track(id, "hands")).devices[0]!.layers.filter((l) => l.pad === 8).length, done)
    .toBe(1);
  expect((await stemzo.track(id, "buoy")).parked).toBe(false);
  // Or a track is carried straight onto a pad: it is printed first.
  await head(page, "Hand percussion").click();
  await page.keyboard.press("d");
  const from = (await head(page, "Bell buoy").boundingBox())!;
  const pad = (await page.getByRole("button", { name: /^Pad 11,/ }).boundingBox())!;
  await page.mouse.move(from.x + 8, from.y + from.height / 2);
  await page.mouse.down();
  await page.mouse.move(pad.x + pad.width / 2, pad.y + pad.height / 2, { steps: 6 });
  await page.mouse.up();
  await expect
    .poll(async () => (await stemzo.track(id, "hands")).devices[0]!.layers.filter((l) => l.pad === 10).length, done)
    .toBe(1);
  // A clip of a frozen track too: what the track plays there, to the frame.
  await stemzo.finished((await stemzo.post<{ id: string }>(`/api/sessions/${id}/freeze`, { tracks: ["buoy"] })).id);
  await expect(head(page, "Bell buoy")).toContainText("frozen");
  const state = await stemzo.state(id);
  const row = state.document.tracks.findIndex((t) => t.id === "buoy");
  const { clips, frozen } = state.document.tracks[row]!;
  const clip = clips.find((c) => c.kind === "audio")!;
  if (clip.kind !== "audio") throw new Error("the bell has no audio");
  const box = await clipBox(page, state, row, clip.start, clip.start + clip.frames);
  const other = (await page.getByRole("button", { name: /^Pad 12,/ }).boundingBox())!;
  await page.mouse.move((box.x + box.right) / 2, box.y);
  await page.mouse.down();
  await page.mouse.move(other.x + other.width / 2, other.y + other.height / 2, { steps: 6 });
  await expect(page.getByText("printed onto pad 12")).toBeVisible();
  await page.mouse.up();
  const onPad = async () =>
    (await stemzo.track(id, "hands")).devices[0]!.layers.filter((l) => l.pad === 11).map((l) => l.asset);
  await expect.poll(onPad, done).toHaveLength(1);
  const [asset = ""] = await onPad();
  const samples = async (hash: string, from: number, side: string) =>
    new Float32Array(
      (
        await (
          await request.get(`${stemzo.address}/api/audio/${hash}/samples?from=${from}&frames=20000&side=${side}`)
        ).body()
      ).buffer.slice(0, 4 * 20_000),
    );
  expect((await stemzo.state(id)).document.assets.find((a) => a.id === asset)?.frames).toBe(clip.frames);
  for (const side of ["left", "right"]) {
    const copied = await samples(asset, 0, side);
    expect(copied).toEqual(await samples(frozen!.asset, clip.start, side));
    expect(Math.max(...copied.map(Math.abs))).toBeGreaterThan(0.001);
  }
});

test("a seamless loop: as long as its range, its tail folded in, and a seam no larger than the sound's own steps, in the file itself", async ({
  page,
  stemzo,
  request,
}) => {
  const id = await stemzo.demo((d) => ({
    ...changed(few(d, ["buoy"]), "buoy", { devices: [makeDevice("v", "reverb", { decayS: 1.2 })] }),
    ranges: [{ id: "swing", name: "Swing", from: 960 * 14, to: 960 * 18 }],
  }));
  await stemzo.open(page, id);
  await head(page, "Bell buoy").click();
  await page.keyboard.press("Shift+P");
  await choose(page, "Range", /^Swing/);
  await choose(page, "Loop", /^a seamless loop/);
  await choose(page, "Placed", /^the shelf only/);
  await page.keyboard.press("Control+Enter");
  await printed(page);
  await expect(slip(page)).toContainText(/, seam −\d/);
  const job = (await stemzo.get<readonly PrintRecord[]>(`/api/sessions/${id}/prints`))[0]!;
  const result = (await stemzo.finished(job.job)).result;
  const facts: PrintedFacts = result?.kind === "print" ? result.prints[0]! : (undefined as never);
  const bytes = await (await request.get(`${stemzo.address}/api/audio/${facts.asset}`)).body();
  const wav = WavReader.open({
    size: bytes.length,
    read: (at, into) => {
      into.set(bytes.subarray(at, at + into.length));
      return Math.min(into.length, bytes.length - at);
    },
  });
  const [left, right] = [new Float32Array(wav.frames), new Float32Array(wav.frames)];
  wav.read(0, wav.frames, left, right, 0);
  let slope = 0;
  for (let i = 1; i < 480; i++)
    slope = Math.max(
      slope,
      Math.abs(left[i]! - left[i - 1]!),
      Math.abs(left[wav.frames - i]! - left[wav.frames - i - 1]!),
    );
  expect(Math.abs(left[0]! - left[wav.frames - 1]!)).toBeLessThanOrEqual(slope * 1.01);
  expect(facts.frames).toBe(wav.frames);
  expect(left.some((v) => v !== 0)).toBe(true);
});

test("a live pass: what is ridden while it plays is in the print, the same bytes twice; the session's own fader stays", async ({
  page,
  stemzo,
}) => {
  const id = await stemzo.demo((d) => few(d, ["buoy"]));
  const before = (await stemzo.track(id, "buoy")).faderDb;
  await stemzo.open(page, id);
  await expect(page.locator("[data-ready]")).toBeVisible();
  await page.keyboard.press("r");
  await expect(page.getByRole("button", { name: "Stop (Space)" })).toHaveAttribute("data-state", "playing");
  const fader = page.getByRole("slider", { name: "Fader of Bell buoy" });
  const box = (await fader.boundingBox())!;
  await page.mouse.move(box.x + box.width * 0.6, box.y + box.height / 2);
  await page.mouse.down();
  for (let i = 1; i <= 8; i++) {
    await page.mouse.move(box.x + box.width * (0.6 - i * 0.05), box.y + box.height / 2);
    await pass(page, 0.12);
  }
  await page.mouse.up();
  await expect(page.getByRole("button", { name: /^End the live pass/ })).toHaveText("1");
  await page.keyboard.press("Space");
  await expect(slip(page)).toContainText("What was ridden in the live pass moves in it: 1 control");
  await expect(slip(page)).toContainText("1 ridden control");
  expect((await stemzo.track(id, "buoy")).faderDb).toBe(before);
  expect((await stemzo.state(id)).revision).toBe(0);
  await page.keyboard.press("Control+Enter");
  await printed(page);
  const [first] = await stemzo.get<readonly PrintRecord[]>(`/api/sessions/${id}/prints`);
  // What was heard is printed: the mix, onto the shelf.
  expect([first!.slip.tap, first!.slip.placed]).toEqual(["mix", "shelf"]);
  expect(first!.slip.moves.map((m) => [m.track, m.lane.target])).toEqual([["buoy", "fader"]]);
  expect(first!.slip.moves[0]!.lane.points.length).toBeGreaterThan(2);
  // The same moves again, from what was kept with the print: the same file.
  await page.keyboard.press("Control+z");
  await expect
    .poll(async () => (await stemzo.state(id)).document.assets.some((a) => a.id === first!.asset))
    .toBe(false);
  const job = await stemzo.post<{ id: string }>(`/api/sessions/${id}/prints`, first!.slip);
  const again = await stemzo.finished(job.id);
  expect(again.result?.kind === "print" && again.result.prints[0]!.asset).toBe(first!.asset);
});

test("a live pass ends when playing stops; its moves are looked at, and kept as automation instead of being printed", async ({
  page,
  stemzo,
}) => {
  const id = await stemzo.demo((d) => few(d, ["buoy"]));
  await stemzo.open(page, id);
  await expect(page.locator("[data-ready]")).toBeVisible();
  await page.keyboard.press("r");
  await expect(page.getByRole("button", { name: "Stop (Space)" })).toHaveAttribute("data-state", "playing");
  // What is ridden is a group's: it is in a print through it, too.
  const group = (await stemzo.state(id)).document.tracks.find((t) => t.kind === "group")!;
  const fader = page.getByRole("slider", { name: `Fader of ${group.name}` });
  const box = (await fader.boundingBox())!;
  await page.mouse.move(box.x + box.width * 0.6, box.y + box.height / 2);
  await page.mouse.down();
  for (let i = 1; i <= 6; i++) {
    await page.mouse.move(box.x + box.width * (0.6 - i * 0.06), box.y + box.height / 2);
    await pass(page, 0.12);
  }
  await page.mouse.up();
  await page.keyboard.press("Space");
  await slip(page).getByRole("button", { name: "look at it" }).click();
  const moves = page.getByRole("dialog", { name: "What was ridden" });
  await expect(moves).toContainText(`${group.name}: fader`);
  await moves.getByRole("button", { name: "Keep as automation" }).click();
  const lanes = async () =>
    (await stemzo.track(id, group.id)).automation.map((a) => [a.target, a.points.length > 2] as const);
  await expect.poll(lanes).toEqual([["fader", true]]);
  await expect(slip(page)).not.toContainText("What was ridden");
  await page.keyboard.press("Control+z");
  await expect.poll(lanes).toEqual([]);
});

test("an outboard pass: in real time, pinged, lined up with the source; what works in real time only is refused otherwise", async ({
  page,
  stemzo,
}) => {
  const id = await stemzo.demo((d) => {
    const one = few(d, ["buoy"]);
    const buoy = one.tracks.find((t) => t.id === "buoy")!;
    return changed({ ...one, ranges: [{ id: "hit", name: "Hit", from: 0, to: 960 * 16 }] }, "buoy", {
      devices: [makeDevice("o", "outboard", { driveDb: 0, hissDb: -120 })],
      clips: buoy.clips
        .slice(0, 1)
        .map((c) =>
          c.kind === "audio"
            ? { ...c, start: 48_000, frames: 96_000, fadeOut: { frames: 0, shape: "linear" as const } }
            : c,
        ),
    });
  });
  await stemzo.open(page, id);
  await head(page, "Bell buoy").click();
  await page.keyboard.press("Shift+P");
  await expect(slip(page)).toContainText("works in real time only");
  await choose(page, "Pass", /^in real time/);
  await choose(page, "Range", /^Hit/);
  await choose(page, "Tail", /^without/);
  await choose(page, "Placed", /^the shelf only/);
  const began = Date.now();
  await page.keyboard.press("Control+Enter");
  await expect(slip(page)).toContainText("passing through the hardware, in real time");
  await printed(page);
  const state = await stemzo.state(id);
  // Four bars and a bit: the range at the demo's tempo.
  expect(Date.now() - began).toBeGreaterThan(4000);
  expect(state.document.tracks.find((t) => t.id === "buoy")!.devices[0]!.params["pingFrames"]).toBe(
    Math.round(0.0064 * state.document.rate) + 37,
  );
  const asset = state.document.assets.at(-1)!;
  const facts = await stemzo.get<{ measures: { firstSound: number } }>(`/api/audio/${asset.id}/facts`);
  const source = (await stemzo.track(id, "buoy")).clips[0]!;
  const dry = await stemzo.get<{ measures: { firstSound: number } }>(
    `/api/audio/${source.kind === "audio" ? source.asset : ""}/facts`,
  );
  const expected = 48_000 + dry.measures.firstSound - (source.kind === "audio" ? source.offset : 0);
  expect(Math.abs(facts.measures.firstSound - expected)).toBeLessThan(48);
});

test("automation left out of a print moves on to its track; two mono files and another rate lie on the shelf", async ({
  page,
  stemzo,
}) => {
  const id = await stemzo.demo((d) =>
    changed(few(d, ["buoy"]), "buoy", {
      automation: [
        makeLane("ride", "fader", [
          { tick: 0, value: -12 },
          { tick: 9600, value: -2 },
        ]),
      ],
    }),
  );
  await stemzo.open(page, id);
  await head(page, "Bell buoy").click();
  await page.keyboard.press("Shift+P");
  await choose(page, "Tap", /^after its fader/);
  await slip(page).getByRole("button", { name: "Automation: as it moves" }).click();
  await page.getByRole("checkbox", { name: "fader" }).uncheck();
  await page.keyboard.press("Escape");
  await expect(slip(page)).toContainText("without its automation");
  await page.keyboard.press("Control+Enter");
  await expect(slip(page)).toContainText(/sounds the same/, done);
  const print = (await stemzo.state(id)).document.tracks.find((t) => t.name === "Bell buoy print")!;
  expect(print.automation.map((a) => [a.target, a.points.map((p) => p.value)])).toEqual([["fader", [0, 10]]]);
  await head(page, "Bell buoy print").click();
  await choose(page, "Placed", /^the shelf only/);
  await choose(page, "Channels", /^two mono files/);
  await choose(page, "Rate", /^44.1 kHz/);
  const count = (await stemzo.state(id)).document.assets.length;
  await page.keyboard.press("Control+Enter");
  await expect.poll(async () => (await stemzo.state(id)).document.assets.length, done).toBe(count + 2);
  expect(
    (await stemzo.state(id)).document.assets.slice(-2).map((a) => [a.name.split(" ").at(-1), a.channels, a.rate]),
  ).toEqual([
    ["left", 1, 44_100],
    ["right", 1, 44_100],
  ]);
});
