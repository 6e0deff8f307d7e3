import { execFileSync } from "node:child_process";
import { writeFileSync } from "node:fs";
import type { Page } from "@playwright/test";
import type { AudioClip, Session } from "../../core/session/document";
import { tempoMap } from "../../core/time/tempo";
import { chooserOf, clipBox, expect, few, head, test } from "./stemzo";

const audio = (clips: readonly { readonly kind: string }[]) => clips as readonly AudioClip[];

async function drag(
  page: Page,
  from: readonly [number, number],
  to: readonly [number, number],
  keys: readonly string[] = [],
): Promise<void> {
  for (const k of keys) await page.keyboard.down(k);
  await page.mouse.move(...from);
  await page.mouse.down();
  await page.mouse.move((from[0] + to[0]) / 2, (from[1] + to[1]) / 2, { steps: 3 });
  await page.mouse.move(...to, { steps: 3 });
  await page.mouse.up();
  for (const k of keys) await page.keyboard.up(k);
}

test("fades, gain and length by their handles; many clips at once; a stretch over tracks; all undone", async ({
  page,
  stemzo,
}) => {
  const id = await stemzo.demo();
  await stemzo.open(page, id);
  const before = await stemzo.state(id);
  const clips = async () => audio((await stemzo.track(id, "water")).clips);
  const [first, second] = audio(before.document.tracks[0]!.clips);
  const box = await clipBox(page, before, 0, first!.start, first!.start + first!.frames);
  const top = box.y - (await head(page, "Water bed").boundingBox())!.height / 2 + 7;
  const perPixel = first!.frames / (box.right - box.x);

  // Fade in, from where it ends now, 20 pixels on.
  const fadeEnd = box.x + first!.fadeIn.frames / perPixel;
  await drag(page, [fadeEnd, top], [fadeEnd + 20, top], ["Alt"]);
  await expect
    .poll(async () => Math.abs((await clips())[0]!.fadeIn.frames - first!.fadeIn.frames - 20 * perPixel))
    .toBeLessThan(2 * perPixel);
  // Gain, by the handle in the middle of the upper edge: up is louder, a quarter of a decibel to the pixel.
  await drag(page, [(box.x + box.right) / 2, top], [(box.x + box.right) / 2, top + 24]);
  await expect.poll(async () => (await clips())[0]!.gainDb).toBe(first!.gainDb - 6);
  await page.getByRole("combobox", { name: "Shape of the fades" }).click();
  await page.getByRole("option", { name: "straight" }).click();
  await expect.poll(async () => (await clips())[0]!.fadeIn.shape).toBe("linear");
  // The end with Ctrl: the same audio over more time.
  const third = (await clips())[2]!;
  const last = await clipBox(page, before, 0, third.start, third.start + third.frames);
  await drag(page, [last.right - 2, last.y + 6], [last.right + 30, last.y + 6], ["Control", "Alt"]);
  await expect.poll(async () => (await clips())[2]!.stretch).toBeGreaterThan(1.01);
  expect((await clips())[2]!.frames).toBeGreaterThan(third.frames);

  // Two clips together, by Shift and a drag of one; a bar of 4/4 at 96 is 120,000 frames.
  const rigging = audio(before.document.tracks[1]!.clips);
  const at = (clip: AudioClip) => clipBox(page, before, 1, clip.start, clip.start + clip.frames);
  const [a, b] = [await at(rigging[0]!), await at(rigging[2]!)];
  const bar = 120_000 / (first!.frames / (box.right - box.x));
  await page.mouse.click((a.x + a.right) / 2, a.y + 5);
  await page.keyboard.down("Shift");
  await page.mouse.click((b.x + b.right) / 2, b.y + 5);
  await page.keyboard.up("Shift");
  await expect(page.getByRole("group", { name: "Selected clip" })).toContainText("and 1 more");
  await drag(page, [(b.x + b.right) / 2, b.y + 5], [(b.x + b.right) / 2 + bar + 1, b.y + 5]);
  const starts = async () => audio((await stemzo.track(id, "rigging")).clips).map((c) => c.start);
  await expect.poll(starts).toEqual(rigging.map((c, i) => (i === 0 || i === 2 ? c.start + 120_000 : c.start)));
  await page.keyboard.press("ArrowLeft");
  await expect.poll(starts).toEqual(rigging.map((c, i) => (i === 0 || i === 2 ? c.start + 90_000 : c.start)));

  // A stretch over two tracks, drawn beside the clips of the fourth and fifth; cut at both ends and cleared.
  const gulls = audio(before.document.tracks[3]!.clips)[0]!;
  const g = await clipBox(page, before, 3, gulls.start, gulls.start + gulls.frames);
  const row5 = (await page.getByRole("list", { name: "Tracks" }).getByRole("listitem").nth(4).boundingBox())!;
  await drag(page, [g.right + 60, g.y], [g.right - 20, row5.y + row5.height / 2]);
  await expect(page.getByRole("img", { name: /^Chosen: .* on 2 tracks/ })).toBeAttached();
  const revision = (await stemzo.state(id)).revision;
  await page.keyboard.press("Backspace");
  await expect.poll(async () => (await stemzo.state(id)).revision).toBe(revision + 1);
  const cleared = audio((await stemzo.track(id, "gulls")).clips);
  expect(cleared.length).toBe(1);
  expect(cleared[0]!.frames).toBeLessThan(gulls.frames);

  // Onto another track of audio, by dragging down a row; the group between takes none.
  const [move] = audio(before.document.tracks[2]!.clips);
  const m = await clipBox(page, before, 2, move!.start, move!.start + move!.frames);
  await drag(page, [(m.x + m.right) / 2, m.y + 4], [(m.x + m.right) / 2, row5.y - row5.height / 2], ["Alt"]);
  await expect.poll(async () => (await stemzo.track(id, "gulls")).clips.some((c) => c.id === move!.id)).toBe(true);
  expect((await stemzo.track(id, before.document.tracks[2]!.id)).clips.some((c) => c.id === move!.id)).toBe(false);

  // Crossfade of two clips that touch.
  await page
    .getByRole("list", { name: "Clips" })
    .getByRole("button", { name: new RegExp(`^${second!.name}`) })
    .nth(1)
    .dispatchEvent("click");
  await page.keyboard.press("v");
  await expect.poll(async () => (await clips()).some((c) => c.crossfade)).toBe(true);

  for (let i = 0; i < 30 && (await stemzo.state(id)).undo !== null; i++) {
    const now = (await stemzo.state(id)).revision;
    await page.getByRole("button", { name: /^Undo/ }).click();
    await expect.poll(async () => (await stemzo.state(id)).revision).toBe(now + 1);
  }
  expect((await stemzo.state(id)).document).toEqual(before.document);
});

test("what dragging holds on to is set and kept: zero crossings, onsets, steps of the arrow keys, heights of rows", async ({
  page,
  stemzo,
}) => {
  const id = await stemzo.demo();
  await stemzo.open(page, id);
  const state = await stemzo.state(id);
  const clip = audio(state.document.tracks[1]!.clips)[2]!;
  const stored = async () => audio((await stemzo.track(id, "rigging")).clips)[2]!;

  await page.getByRole("button", { name: "Grid and steps" }).click();
  const sheet = page.getByRole("dialog");
  await sheet.getByLabel("trim at crossings of zero").check();
  await sheet.getByLabel("and to where sounds begin").check();
  await sheet.getByRole("combobox", { name: "Grid" }).click();
  await page.getByRole("option", { name: "no grid" }).click();
  await sheet.getByRole("combobox", { name: "Step of the arrow keys" }).click();
  await page.getByRole("option", { name: "one frame" }).click();
  await page.keyboard.press("Escape");

  const at = await clipBox(page, state, 1, clip.start, clip.start + clip.frames);
  await drag(page, [at.right - 2, at.y + 5], [at.right - 24, at.y + 5]);
  await expect.poll(async () => (await stored()).frames).toBeLessThan(clip.frames);
  const trimmed = await stored();
  const samples = await page.request.get(
    `${stemzo.address}/api/audio/${clip.asset}/samples?from=${trimmed.offset + trimmed.frames - 1}&frames=2`,
  );
  const pair = await samples.body();
  expect(Math.sign(pair.readFloatLE(0)) !== Math.sign(pair.readFloatLE(4))).toBe(true);

  await page.keyboard.press("ArrowRight");
  await expect.poll(async () => (await stored()).start).toBe(clip.start + 1);
  const onsets = await stemzo.get<readonly number[]>(`/api/audio/${clip.asset}/onsets`);
  expect(onsets.length).toBeGreaterThan(2);

  const low = (await head(page, "Rigging").boundingBox())!.height;
  await page.keyboard.press("h");
  await expect.poll(async () => (await head(page, "Rigging").boundingBox())!.height).toBe(low * 1.5);
  await page.reload();
  await expect.poll(async () => (await head(page, "Rigging").boundingBox())!.height).toBe(low * 1.5);
});

test("markers and saved ranges are set, named, gone to, played and removed", async ({ page, stemzo }) => {
  const id = await stemzo.demo();
  await stemzo.open(page, id);
  for (let bar = 0; bar < 4; bar++) await page.keyboard.press(".");
  await page.keyboard.press("Shift+M");
  await expect
    .poll(async () => (await stemzo.state(id)).document.markers)
    .toMatchObject([{ name: "Mark 1", tick: 4 * 3840 }]);
  await page.getByRole("button", { name: /^Marker Mark 1, bar 5\.1\.000/ }).click();
  await page
    .getByRole("dialog")
    .getByRole("button", { name: /^Name of the marker/ })
    .click();
  await page.getByRole("textbox", { name: "Name of the marker" }).fill("Bells enter");
  await page.keyboard.press("Enter");
  await page.keyboard.press("Escape");
  await expect(page.getByRole("button", { name: /^Marker Bells enter/ })).toBeVisible();
  await page.keyboard.press("Home");
  await page.keyboard.press("Control+.");
  await expect(page.getByRole("timer", { name: "Playhead" })).toContainText("5.1.000");

  await page.keyboard.press("]");
  await page.keyboard.press("Shift+L");
  await page.keyboard.press("Shift+R");
  await expect.poll(async () => (await stemzo.state(id)).document.ranges.length).toBe(1);
  const range = (await stemzo.state(id)).document.ranges[0]!;
  expect(range.to).toBeGreaterThan(range.from);
  await page.getByRole("button", { name: /^Saved range Range 1/ }).click();
  await page.getByRole("dialog").getByRole("button", { name: "Loop range" }).click();
  await page.keyboard.press("Escape");
  await expect(page.getByRole("img", { name: /^Marked: 1\.1\.000/ })).toBeVisible();
  // Recalled by a key: marked, and chosen over the selected tracks.
  await page.keyboard.press("Escape");
  for (let bar = 0; bar < 9; bar++) await page.keyboard.press(".");
  await page.keyboard.press("x");
  await expect(page.getByRole("timer", { name: "Playhead" })).toContainText("1.1.000");
  await expect(page.getByRole("img", { name: /^Marked: 1\.1\.000/ })).toBeVisible();
  await page.getByRole("button", { name: /^Saved range Range 1/ }).click();
  await page.getByRole("dialog").getByRole("button", { name: "Remove" }).click();
  await expect.poll(async () => (await stemzo.state(id)).document.ranges.length).toBe(0);
});

test("automation: a lane is added, points are set, dragged, bent, shaped in numbers and removed", async ({
  page,
  stemzo,
}) => {
  const id = await stemzo.demo();
  await stemzo.open(page, id);
  const lanes = async () => (await stemzo.track(id, "rigging")).automation;
  await head(page, "Rigging").click();
  await page.keyboard.press("a");
  const sheet = page.getByRole("region", { name: "Automation" });
  await expect(sheet).toContainText("Nothing moves on Rigging yet");
  await sheet.getByRole("button", { name: "Automate something on Rigging" }).click();
  await page.getByRole("menuitem", { name: "pan", exact: true }).click();
  await expect.poll(async () => (await lanes()).map((l) => [l.target, l.points.length])).toEqual([["pan", 1]]);

  const lane = sheet.getByRole("group", { name: /^pan, / });
  const box = (await lane.boundingBox())!;
  await page.mouse.click(box.x + 200, box.y + 15);
  await expect.poll(async () => (await lanes())[0]!.points.length).toBe(2);
  const [, set] = (await lanes())[0]!.points;
  expect(set!.value).toBeGreaterThan(0.7);
  expect(set!.tick % 960).toBe(0);
  await drag(page, [box.x + 200, box.y + 15], [box.x + 320, box.y + 60]);
  await expect.poll(async () => (await lanes())[0]!.points[1]!.tick).toBeGreaterThan(set!.tick);
  expect((await lanes())[0]!.points[1]!.value).toBeLessThan(0);
  await page.keyboard.press("Home");

  const panel = sheet.getByRole("group", { name: "Chosen point" });
  await panel.getByRole("textbox", { name: "Value of the point" }).fill("0.5");
  await page.keyboard.press("Enter");
  await expect.poll(async () => (await lanes())[0]!.points[1]!.value).toBe(0.5);
  await panel.getByRole("button", { name: "Before" }).click();
  await panel.getByRole("combobox", { name: "How it moves from here" }).click();
  await page.getByRole("option", { name: "in a bend" }).click();
  await expect.poll(async () => (await lanes())[0]!.points[0]).toMatchObject({ shape: "curved", bend: 0.4 });
  await panel.getByRole("textbox", { name: "Bend" }).fill("-0.6");
  await page.keyboard.press("Enter");
  await expect.poll(async () => (await lanes())[0]!.points[0]!.bend).toBe(-0.6);

  await sheet.getByRole("button", { name: /^Point 2 of pan/ }).focus();
  await page.keyboard.press("ArrowDown");
  await expect.poll(async () => (await lanes())[0]!.points[1]!.value).toBeLessThan(0.5);
  await sheet.getByRole("button", { name: /^Point 2 of pan/ }).press("Delete");
  await expect.poll(async () => (await lanes())[0]!.points.length).toBe(1);
  await sheet.getByRole("button", { name: "Remove the automation of pan" }).click();
  await expect.poll(lanes).toEqual([]);
  await page.keyboard.press("a");
  await expect(sheet).toBeHidden();
});

test("notes: written, moved, lengthened, made louder by mouse and by keyboard; a phrase that is played elsewhere says so and can be made its own", async ({
  page,
  stemzo,
}) => {
  const id = await stemzo.demo();
  await stemzo.open(page, id);
  const line = (await stemzo.state(id)).document.tracks.find((t) => t.name === "Plucked line")!;
  const clip = line.clips[0]!;
  if (clip.kind !== "notes") throw new Error("no notes");
  const notes = async () => (await stemzo.state(id)).document.phrases.find((p) => p.id === clip.phrase)!.notes;
  const before = await notes();
  await page
    .getByRole("list", { name: "Clips" })
    .getByRole("button", { name: /^Plucked/ })
    .first()
    .dispatchEvent("click");
  await page.keyboard.press("e");
  const sheet = page.getByRole("region", { name: "Notes" });
  await expect(sheet).toContainText("Played 3 times elsewhere too");
  const field = sheet.getByRole("application");
  const box = (await field.boundingBox())!;

  // From the list, then by keys: an octave up, later, longer.
  await sheet
    .getByRole("list", { name: /^Notes of/ })
    .getByRole("button")
    .first()
    .dispatchEvent("click");
  await field.focus();
  await page.keyboard.press("Shift+ArrowUp");
  await expect
    .poll(async () => (await notes()).some((n) => n.pitch === before[0]!.pitch + 12 && n.tick === before[0]!.tick))
    .toBe(true);
  await page.keyboard.press("ArrowRight");
  await expect
    .poll(async () =>
      (await notes()).some((n) => n.pitch === before[0]!.pitch + 12 && n.tick === before[0]!.tick + 960),
    )
    .toBe(true);
  await page.keyboard.press("Alt+ArrowRight");
  await expect.poll(async () => (await notes()).some((n) => n.ticks === before[0]!.ticks + 960)).toBe(true);
  await page.keyboard.press("Enter");
  await expect.poll(async () => (await notes()).length).toBe(before.length + 1);
  await page.keyboard.press("Delete");
  await expect.poll(async () => (await notes()).length).toBe(before.length);

  // By mouse: a note is drawn, moved up, made longer at its end and louder by its stroke.
  await drag(page, [box.x + 520, box.y + 128], [box.x + 580, box.y + 128]);
  await expect.poll(async () => (await notes()).length).toBe(before.length + 1);
  const chosen = sheet.getByRole("group", { name: "Chosen notes" });
  await expect(chosen).toBeVisible();
  await chosen.getByRole("textbox", { name: "Velocity" }).fill("33");
  await page.keyboard.press("Enter");
  await expect.poll(async () => (await notes()).some((n) => n.velocity === 33)).toBe(true);
  await chosen.getByRole("textbox", { name: "Length, ticks" }).fill("700");
  await page.keyboard.press("Enter");
  await expect.poll(async () => (await notes()).find((n) => n.velocity === 33)?.ticks).toBe(700);

  await sheet.getByRole("button", { name: "Make this one its own phrase" }).click();
  await expect(sheet).toContainText("Played here only");
  // The sheet says so before the server has it.
  await expect
    .poll(async () => {
      const own = (await stemzo.track(id, line.id)).clips[0]!;
      return own.kind === "notes" && own.phrase !== clip.phrase;
    })
    .toBe(true);

  // A new clip of notes on the same track, empty, to be written in.
  await page.keyboard.press("Home");
  await page.keyboard.press("Control+e");
  await expect(sheet).toContainText("Press in the field to write the first note");
  await expect.poll(async () => (await stemzo.track(id, line.id)).clips.length).toBe(line.clips.length + 1);
});

test("a device shows what it does, measured; a clip has effects of its own", async ({ page, stemzo }) => {
  const id = await stemzo.demo();
  await stemzo.open(page, id);
  await page.getByRole("button", { name: /^Comp on Quay/ }).click();
  await expect(
    page
      .getByRole("dialog")
      .getByRole("img", { name: /^Level out by level in; full scale comes out at −\d+\.\d dBFS/ }),
  ).toBeVisible();
  await page.keyboard.press("Escape");
  await page.keyboard.press("]");
  await page.getByRole("button", { name: "effects", exact: true }).click();
  await page.getByRole("button", { name: "Add an effect to this clip" }).click();
  await page.getByRole("menuitem", { name: /^Filter/ }).click();
  const process = async () => audio((await stemzo.track(id, "water")).clips)[0]!.process;
  await expect.poll(async () => (await process()).map((d) => d.type)).toEqual(["filter"]);
  const sheet = page.getByRole("dialog");
  await expect(sheet.getByRole("img", { name: /^Gain by frequency/ })).toBeVisible();
  await sheet.getByRole("slider").first().focus();
  await page.keyboard.press("PageUp");
  await expect.poll(async () => Object.keys((await process())[0]!.params).length).toBe(1);
  await sheet.getByRole("button", { name: "Remove Filter from the clip" }).click();
  await expect.poll(process).toEqual([]);
});

test("rows that are scrolled to are drawn and pressed where their heads stand", async ({ page, stemzo }) => {
  const id = await stemzo.demo();
  await stemzo.open(page, id);
  await head(page, "Water bed").click();
  await page.keyboard.press("a");
  const row = head(page, "Foghorn bass");
  const top = (await head(page, "Water bed").boundingBox())!.y;
  await row.scrollIntoViewIfNeeded();
  const lanes = page.getByRole("img", { name: /^Lanes/ });
  await expect.poll(async () => (await head(page, "Water bed").boundingBox())?.y ?? -1).toBeLessThan(top);
  const [canvas, at] = [(await lanes.boundingBox())!, (await row.boundingBox())!];
  // The canvas stays in view, and a press beside all clips chooses the row whose head is at that height.
  expect(canvas.y).toBeGreaterThan(60);
  await page.mouse.click(canvas.x + canvas.width - 30, at.y + at.height / 2);
  await expect(page.getByRole("region", { name: "Automation" })).toContainText("Foghorn bass");
});

test("tempo and meter are changed where they stand and at the playhead, and taken away again; notes follow, audio stays", async ({
  page,
  stemzo,
}) => {
  const id = await stemzo.demo();
  await stemzo.open(page, id);
  const before = (await stemzo.state(id)).document;
  for (let i = 0; i < 4; i++) await page.keyboard.press(".");
  await expect(page.getByRole("timer", { name: "Playhead" })).toContainText("5.1.000");
  await page.getByRole("button", { name: "Tempo and meter" }).click();
  const sheet = page.getByRole("dialog", { name: "Tempo and meter" });
  await sheet.getByRole("button", { name: "Change it at bar 5" }).first().click();
  await sheet.getByRole("textbox", { name: "Tempo from 5.1.000" }).fill("120");
  await page.keyboard.press("Enter");
  await sheet.getByRole("combobox", { name: "What the tempo does from 5.1.000" }).click();
  await page.getByRole("option", { name: "moves to the next" }).click();
  await expect
    .poll(async () => (await stemzo.state(id)).document.tempo.find((p) => p.bpm === 120))
    .toEqual({ tick: 4 * 3840, bpm: 120, shape: "ramp" });
  await sheet.getByRole("button", { name: "Change it at bar 5" }).click();
  await sheet.getByRole("textbox", { name: "Beats in a bar from bar 5" }).fill("3");
  await page.keyboard.press("Enter");
  await expect
    .poll(async () => (await stemzo.state(id)).document.meter.find((p) => p.bar === 5))
    .toEqual({ bar: 5, numerator: 3, denominator: 4 });
  expect((await stemzo.state(id)).document.tracks).toEqual(before.tracks);
  await sheet.getByRole("button", { name: "Remove the meter at bar 5" }).click();
  await sheet.getByRole("button", { name: "Remove the tempo at 5.1.000" }).click();
  await expect
    .poll(async () => {
      const { tempo, meter } = (await stemzo.state(id)).document;
      return { tempo, meter };
    })
    .toEqual({ tempo: before.tempo, meter: before.meter });

  // The whole session a bar later, and again earlier: refused where something stands in the bar that would go.
  await page.keyboard.press("Escape");
  await page.keyboard.press("Control+Shift+ArrowRight");
  const bar = tempoMap([before.tempo[0]!], before.rate).toFrames(3840);
  const starts = (d: Session) =>
    d.tracks.flatMap((t) => t.clips.map((c) => c.start - (c.kind === "notes" ? 3840 : bar)));
  await expect
    .poll(async () => starts((await stemzo.state(id)).document))
    .toEqual(before.tracks.flatMap((t) => t.clips.map((c) => c.start)));
  expect((await stemzo.state(id)).document.tempo[1]?.tick).toBe(before.tempo[1]!.tick + 3840);
  await page.keyboard.press("Control+Shift+ArrowLeft");
  await expect.poll(async () => (await stemzo.state(id)).document).toEqual(before);
  await page.keyboard.press("Control+Shift+ArrowLeft");
  await expect(page.getByText("a clip stands in the bars that would go")).toBeVisible();
});

test("the Bench follows the window, wider and narrower", async ({ page, stemzo }) => {
  const id = await stemzo.demo();
  await stemzo.open(page, id);
  const edge = async () => {
    const box = (await page.getByRole("region", { name: "Print slip" }).boundingBox())!;
    return box.x + box.width;
  };
  for (const width of [1600, 1280]) {
    await page.setViewportSize({ width, height: 800 });
    await expect.poll(edge).toBe(width);
    await expect(page.getByRole("button", { name: "Mute Water bed" })).toBeInViewport();
  }
});

test("zoomed in as far as it goes a single sample is seen, and the ruler still tells place and time", async ({
  page,
  stemzo,
}, info) => {
  // Every eighth sample stands out.
  const raw = Buffer.alloc(2 * 48_000);
  for (let i = 0; i < 48_000; i += 8) raw.writeInt16LE(29_000, 2 * i);
  const wav = info.outputPath("ticks.wav");
  writeFileSync(`${wav}.raw`, raw);
  execFileSync("sox", ["-t", "raw", "-r", "48000", "-e", "signed", "-b", "16", "-c", "1", `${wav}.raw`, wav]);
  const id = await stemzo.demo((d) => ({ ...few(d, []), assets: [] }));
  await stemzo.open(page, id);
  await (await chooserOf(page, () => page.keyboard.press("Control+i"))).setFiles([wav]);
  await page.getByRole("dialog").getByRole("button", { name: "Import", exact: true }).click();
  await expect(page.getByText("ticks.wav is in.")).toBeVisible({ timeout: 30_000 });
  const row = (await stemzo.state(id)).document.tracks.findIndex((t) => t.clips.length > 0);
  const lanes = page.locator("canvas[data-lanes]");
  for (let k = 0; k < 60; k++) await page.keyboard.press("+");
  await expect.poll(async () => Number(await lanes.getAttribute("data-frames-per-pixel"))).toBeCloseTo(1 / 24, 5);
  const rowHeight = (await page.getByRole("list", { name: "Tracks" }).getByRole("listitem").first().boundingBox())!
    .height;
  // Columns with ink in the upper third of the row: what stands out. Eight samples are 192 pixels.
  const gaps = () =>
    lanes.evaluate(
      (canvas: HTMLCanvasElement, [top, height]: readonly [number, number]) => {
        const scale = devicePixelRatio;
        const c = canvas.getContext("2d")!;
        const { data, width } = c.getImageData(
          0,
          (top + 7) * scale,
          canvas.width,
          Math.round((height / 3 - 7) * scale),
        );
        // Between two of them there is paper.
        const clear = 4 * Math.round(90 * scale);
        const paper = [data[clear], data[clear + 1]];
        const tops: number[] = [];
        for (let x = 0; x < width; x++) {
          let has = false;
          for (let y = 0; y < data.length / 4 / width; y++) {
            const at = 4 * (y * width + x);
            if (Math.abs(data[at]! - paper[0]!) + Math.abs(data[at + 1]! - paper[1]!) > 200) has = true;
          }
          if (has && (tops.length === 0 || x - tops.at(-1)! > 90 * scale)) tops.push(x);
        }
        return tops.slice(1).map((x, i) => Math.round((x - tops[i]!) / scale));
      },
      [row * rowHeight, rowHeight] as const,
    );
  await expect.poll(async () => (await gaps()).length).toBeGreaterThanOrEqual(2);
  for (const gap of (await gaps()).slice(1)) expect(Math.abs(gap - 192)).toBeLessThanOrEqual(3);
});

test("everything is moved by bars, with markers, automation, tempo and meter; several tracks are run elsewhere at once", async ({
  page,
  stemzo,
}) => {
  const id = await stemzo.demo();
  await stemzo.open(page, id);
  const before = (await stemzo.state(id)).document;
  await page.keyboard.press("Control+Shift+ArrowRight");
  await expect.poll(async () => (await stemzo.state(id)).revision).toBe(1);
  const after = (await stemzo.state(id)).document;
  // The first bar is 4/4 at 96: 2.5 seconds, and 3,840 ticks.
  const [was, is] = [before, after].map((d) => d.tracks.find((t) => t.id === "gulls")!.clips[0]!);
  expect(is!.start - was!.start).toBe(2.5 * 48000);
  const [notes, moved] = [before, after].map((d) => d.tracks.find((t) => t.id === "harp")!.clips[0]!);
  expect(moved!.start - notes!.start).toBe(3840);
  expect(after.markers.map((m) => m.tick)).toEqual(before.markers.map((m) => m.tick + 3840));
  expect(after.meter.slice(1).map((m) => m.bar)).toEqual(before.meter.slice(1).map((m) => m.bar + 1));
  await page.keyboard.press("Control+Shift+ArrowLeft");
  await expect.poll(async () => (await stemzo.state(id)).revision).toBe(2);
  expect((await stemzo.state(id)).document.markers).toEqual(before.markers);

  await head(page, "Plucked line").click();
  await head(page, "Lamp bells").click({ modifiers: ["Shift"] });
  await page.getByRole("button", { name: /^Plucked line runs into/ }).click();
  await page.getByRole("menuitem", { name: /^Air/ }).click();
  for (const track of ["harp", "lamps"])
    await expect.poll(async () => (await stemzo.track(id, track)).output).toBe("air");
});
