import { clipBox, expect, head, test } from "./stemzo";

test("cut at the playhead, duplicate, copy, paste, remove, and the clip in numbers; every step is stored and undone", async ({
  page,
  stemzo,
}) => {
  const id = await stemzo.demo();
  await stemzo.open(page, id);
  const clips = async () => (await stemzo.track(id, "water")).clips.map((c) => (c.kind === "audio" ? c : null)!);
  const before = await clips();
  const [first] = before;
  const facts = page.getByRole("group", { name: "Selected clip" });

  // The first clip, cut in two at bar 4: at 96 to the minute three bars are 7.5 seconds.
  await page.keyboard.press("]");
  await expect(facts).toContainText("1.1.000");
  for (let bar = 0; bar < 3; bar++) await page.keyboard.press(".");
  await page.keyboard.press("k");
  await expect.poll(async () => (await clips()).length).toBe(before.length + 1);
  const [one, two] = await clips();
  const at = 7.5 * 48000;
  expect([one!.start, one!.frames, two!.start, two!.frames, two!.offset]).toEqual([
    first!.start,
    at - first!.start,
    at,
    first!.frames - at,
    first!.offset + at,
  ]);
  await expect(facts).toContainText("4.1.000");

  // Where the playhead is not in the clip, it says so and changes nothing.
  await page.keyboard.press("Home");
  await page.keyboard.press("k");
  await expect(page.getByText(/The playhead is not inside/)).toBeVisible();
  expect((await clips()).length).toBe(before.length + 1);

  await page.keyboard.press("Control+d");
  await expect.poll(async () => (await clips()).length).toBe(before.length + 2);
  expect((await clips()).at(-1)).toMatchObject({
    start: two!.start + two!.frames,
    frames: two!.frames,
    offset: two!.offset,
  });
  await page.keyboard.press("Control+x");
  await expect.poll(async () => (await clips()).length).toBe(before.length + 1);
  await expect(facts).toBeHidden();
  await page.keyboard.press("Control+v");
  await expect.poll(async () => (await clips()).length).toBe(before.length + 2);
  expect((await clips()).at(-1)!.start).toBe(0);
  await page.keyboard.press("Delete");
  await expect.poll(async () => (await clips()).length).toBe(before.length + 1);

  // In numbers.
  await page.keyboard.press("[");
  await page.keyboard.press("]");
  await expect(facts).toBeVisible();
  const chosen = async () => (await clips()).find((c) => c.id === one!.id)!;
  const enter = async (label: string, value: string) => {
    await facts.getByLabel(label).fill(value);
    await facts.getByLabel(label).press("Enter");
  };
  await page.getByRole("list", { name: "Clips" }).getByRole("button").first().dispatchEvent("click");
  await enter("Gain of the clip, dB", "-4,5");
  await expect.poll(async () => (await chosen()).gainDb).toBe(-4.5);
  await enter("Fade in, milliseconds", "250");
  await expect.poll(async () => (await chosen()).fadeIn.frames).toBe(12_000);
  await enter("Length over the recording's own, per cent", "150");
  await expect.poll(async () => (await chosen()).frames).toBe(Math.round(one!.frames * 1.5));
  await enter("Transposed by, cents", "-300");
  await expect.poll(async () => (await chosen()).transposeCents).toBe(-300);
  await facts.getByLabel("backwards").check();
  await expect.poll(async () => (await chosen()).reverse).toBe(true);

  for (let step = 0; step < 10; step++) {
    await page.keyboard.press("Escape");
    const { revision } = await stemzo.state(id);
    await page.getByRole("button", { name: /^Undo/ }).click();
    await expect.poll(async () => (await stemzo.state(id)).revision).toBeGreaterThan(revision);
  }
  await expect.poll(clips, { timeout: 20_000 }).toEqual(before);
});

test("takes: clips are put aside, kept and silent; one is let sound in place of what does, named, removed; undone", async ({
  page,
  stemzo,
}) => {
  const id = await stemzo.demo();
  await stemzo.open(page, id);
  const before = (await stemzo.track(id, "buoy")).clips;
  const buoy = () => stemzo.track(id, "buoy");
  await page
    .getByRole("list", { name: "Clips" })
    .getByRole("button", { name: /^Bell, near/ })
    .first()
    .dispatchEvent("click");
  await page.keyboard.press("t");
  await expect.poll(async () => (await buoy()).takes.map((t) => [t.name, t.clips.length])).toEqual([["Take 1", 1]]);
  expect((await buoy()).clips.length).toBe(before.length - 1);
  await page.getByRole("button", { name: "Takes of Bell buoy" }).click();
  const takes = page.getByRole("dialog", { name: "Takes of Bell buoy" });
  await takes.getByRole("button", { name: "let it sound" }).click();
  await expect.poll(async () => (await buoy()).clips).toEqual([before[0]]);
  await expect(takes.getByText("2 clips")).toBeVisible();
  await takes.getByRole("button", { name: /^Remove Take/ }).click();
  await expect.poll(async () => (await buoy()).takes.length).toBe(0);
  for (let n = 0; n < 3; n++) {
    const { revision } = await stemzo.state(id);
    await page.keyboard.press("Escape");
    await page.keyboard.press("Control+z");
    await expect.poll(async () => (await stemzo.state(id)).revision).toBe(revision + 1);
  }
  expect(await buoy()).toMatchObject({ clips: before, takes: [] });
});

test("clips are silenced where they lie and let sound again, and repeated as often as asked", async ({
  page,
  stemzo,
}) => {
  const id = await stemzo.demo();
  await stemzo.open(page, id);
  const clips = async () => (await stemzo.track(id, "water")).clips;
  const before = await clips();
  await page.keyboard.press("]");
  await page.keyboard.press("q");
  await expect.poll(async () => (await clips())[0]!.muted).toBe(true);
  await page.keyboard.press("q");
  await expect.poll(async () => (await clips())[0]!.muted).toBe(false);
  await page.keyboard.press("Shift+D");
  await page.getByRole("spinbutton", { name: "How often" }).fill("3");
  await page.keyboard.press("Enter");
  await expect.poll(async () => (await clips()).length).toBe(before.length + 3);
  const [first] = before;
  const { start, frames } = first as { start: number; frames: number };
  expect((await clips()).slice(before.length).map((c) => c.start)).toEqual([1, 2, 3].map((k) => start + k * frames));
  await page.keyboard.press("Control+z");
  await expect.poll(clips).toEqual(before);
});

test("a clip is cut wherever something begins in it, and sounds as before", async ({ page, stemzo }) => {
  const id = await stemzo.demo();
  await stemzo.open(page, id);
  await head(page, "Rigging").click();
  const clips = async () => (await stemzo.track(id, "rigging")).clips;
  const before = await clips();
  const { tracks } = (await stemzo.state(id)).document;
  const above = tracks
    .slice(
      0,
      tracks.findIndex((t) => t.id === "rigging"),
    )
    .flatMap((t) => t.clips).length;
  for (let k = 0; k <= above; k++) await page.keyboard.press("]");
  await page.keyboard.press("Shift+Q");
  await expect.poll(async () => (await clips()).length).toBeGreaterThan(before.length);
  const pieces = (await clips()).filter((c) => c.name === before[0]!.name);
  expect(pieces.length).toBeGreaterThan(1);
  await page.keyboard.press("Control+z");
  await expect.poll(clips).toEqual(before);
});

test("a clip that is carried with Ctrl held leaves a copy where it is let go", async ({ page, stemzo }) => {
  const id = await stemzo.demo();
  await stemzo.open(page, id);
  const clips = async () => (await stemzo.track(id, "buoy")).clips;
  const before = await clips();
  const state = await stemzo.state(id);
  const row = state.document.tracks.findIndex((t) => t.id === "buoy");
  const first = before[0] as { start: number; frames: number };
  const box = await clipBox(page, state, row, first.start, first.start + first.frames);
  const x = (box.x + box.right) / 2;
  await page.mouse.move(x, box.y + 4);
  await page.mouse.down();
  await page.keyboard.down("Control");
  await page.mouse.move(x + 60, box.y + 4, { steps: 4 });
  await page.mouse.up();
  await page.keyboard.up("Control");
  await expect.poll(async () => (await clips()).length).toBe(before.length + 1);
  const made = (await clips()).at(-1)!;
  expect(made.start).toBeGreaterThan(before[0]!.start);
  expect({ ...made, id: "", start: 0 }).toEqual({ ...before[0], id: "", start: 0 });
  expect((await clips()).slice(0, before.length)).toEqual(before);
});
