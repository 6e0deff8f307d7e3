import { clipBox, expect, head, test } from "./stemzo";

test("freeze several tracks at once, see states and load change, unfreeze, undo, redo, reload, commit", async ({
  page,
  stemzo,
}) => {
  const id = await stemzo.demo();
  await stemzo.open(page, id);
  await expect(head(page, "Glass pad")).toContainText("instrument · live");

  // Load is measured by the engine and shown on every row and in all.
  const total = page.locator("[data-load]");
  await expect(total).toHaveText(/\d\.\d\d/, { timeout: 40_000 });
  const before = Number(await total.textContent());
  const padBefore = (await stemzo.state(id)).load!.tracks["pad"]!;

  await head(page, "Glass pad").click();
  await head(page, "Foghorn bass").click({ modifiers: ["Control"] });
  await expect(page.getByRole("region", { name: "Print slip" })).toContainText(
    "Freeze Glass pad and Foghorn bass from the start to the last sound, tapped after their devices",
  );
  await page.keyboard.press("f");
  await expect(page.getByRole("progressbar", { name: "Freezing" }).first()).toBeAttached();
  await expect(head(page, "Glass pad")).toContainText("instrument · frozen", { timeout: 120_000 });
  await expect(head(page, "Foghorn bass")).toContainText("instrument · frozen");
  await expect(page.getByRole("region", { name: "Print slip" })).toContainText("Last print: 2 prints");

  // Measured anew, with the one before beside it. Only the track itself is compared: the machine's other work is in
  // every figure.
  await expect(page.getByText(`was ${before.toFixed(2)}`)).toBeVisible({ timeout: 60_000 });
  await expect
    .poll(async () => padBefore / (await stemzo.state(id)).load!.tracks["pad"]!, { timeout: 30_000 })
    .toBeGreaterThan(5);

  // What it is made of, and what it was before which step.
  await page.getByRole("button", { name: /^Load: / }).click();
  await expect(page.getByRole("region", { name: "Load before" }).getByRole("listitem")).toHaveText([
    /^Freeze.*now$/,
    new RegExp(`^when it was opened${before.toFixed(2).replace(".", "\\.")}$`),
  ]);
  await page
    .getByRole("region", { name: "Load by track" })
    .getByRole("button", { name: "Hand percussion", exact: true })
    .click();
  await expect(page.getByRole("region", { name: "Print slip" })).toContainText("Hand percussion");
  await page.keyboard.press("Escape");

  await page.reload();
  await expect(head(page, "Glass pad")).toContainText("instrument · frozen");
  await page.keyboard.press("Control+z");
  await expect(head(page, "Glass pad")).toContainText("instrument · live");
  await expect(head(page, "Foghorn bass")).toContainText("instrument · live");
  await page.keyboard.press("Control+Shift+z");
  await expect(head(page, "Glass pad")).toContainText("instrument · frozen");

  await head(page, "Foghorn bass").click();
  await page.getByRole("button", { name: /^Unfreeze/ }).click();
  await expect(head(page, "Foghorn bass")).toContainText("instrument · live");

  // Commit: an audio track with its tail, the source parked below it.
  await head(page, "Glass pad").click();
  await page.keyboard.press("Shift+C");
  const names = page.getByRole("list", { name: "Tracks" }).getByRole("listitem").filter({ hasText: "Glass pad" });
  await expect(names).toHaveCount(2);
  await expect(names.nth(0)).toContainText("audio · printed");
  await expect(names.nth(1)).toContainText("instrument · parked");
  await expect
    .poll(async () =>
      (await stemzo.state(id)).document.tracks.filter((t) => t.name === "Glass pad").map((t) => [t.kind, t.parked]),
    )
    .toEqual([
      ["audio", false],
      ["instrument", true],
    ]);
  const printed = (await stemzo.state(id)).document.tracks.find((t) => t.name === "Glass pad" && t.kind === "audio");
  const source = await stemzo.track(id, "pad");
  const clip = printed!.clips[0]!;
  expect(clip.kind === "audio" && clip.start === 0 && clip.frames > 65 * 48000).toBe(true);
  expect(source.frozen).toBeNull();
});

test("fader, pan, mute, device parameter, send, names: each is one edit that is stored and undone", async ({
  page,
  stemzo,
}) => {
  const id = await stemzo.demo();
  await stemzo.open(page, id);

  const fader = page.getByRole("slider", { name: "Fader of Rigging" });
  const box = (await fader.boundingBox())!;
  await page.mouse.move(box.x + 20, box.y + 10);
  await page.mouse.down();
  await page.mouse.move(box.x - 4, box.y + 10, { steps: 4 });
  await page.mouse.up();
  await expect.poll(async () => (await stemzo.track(id, "rigging")).faderDb).toBe(-7.5);
  await fader.focus();
  await page.keyboard.press("ArrowRight");
  await expect.poll(async () => (await stemzo.track(id, "rigging")).faderDb).toBe(-7);

  await page.getByRole("slider", { name: "Pan of Glass pad" }).focus();
  await page.keyboard.press("ArrowLeft");
  await page.keyboard.press("ArrowLeft");
  await expect.poll(async () => (await stemzo.track(id, "pad")).pan).toBeCloseTo(-0.05, 5);

  await page.getByRole("button", { name: "Mute Bar percussion" }).click();
  await expect(head(page, "Bar percussion")).toContainText("muted");
  await expect.poll(async () => (await stemzo.track(id, "bars")).mute).toBe(true);

  await page.getByRole("button", { name: "EQ on Rigging" }).click();
  const cut = page.getByRole("dialog").getByRole("slider", { name: "Cut below" });
  await cut.focus();
  await page.keyboard.press("PageUp");
  await expect.poll(async () => (await stemzo.track(id, "rigging")).devices[0]!.params["cutHz"]).toBeGreaterThan(180);
  await page.getByRole("dialog").getByRole("switch").click();
  await expect.poll(async () => (await stemzo.track(id, "rigging")).devices[0]!.on).toBe(false);
  await page.keyboard.press("Escape");

  await page.getByRole("button", { name: "Sends of Rigging" }).click();
  await page.getByRole("textbox", { name: "Send to Hall, dB" }).fill("-3");
  await page.keyboard.press("Enter");
  await expect.poll(async () => (await stemzo.track(id, "rigging")).sends[0]!.gainDb).toBe(-3);
  await page.keyboard.press("Escape");

  await page.getByRole("button", { name: /^Track 2: Rigging/ }).dblclick();
  await page.getByRole("textbox", { name: "Track 2" }).fill("Halyards");
  await page.keyboard.press("Enter");
  await expect.poll(async () => (await stemzo.track(id, "rigging")).name).toBe("Halyards");

  for (let i = 0; i < 9; i++) {
    await page.keyboard.press("Control+z");
    await expect.poll(async () => (await stemzo.state(id)).revision).toBe(10 + i);
  }
  expect((await stemzo.state(id)).document).toEqual((await stemzo.state("harbour-lamps")).document);
});

test("move and trim a clip by mouse, and by keyboard", async ({ page, stemzo }) => {
  const id = await stemzo.demo();
  await stemzo.open(page, id);
  const state = await stemzo.state(id);
  const clip = state.document.tracks[1]!.clips[2]!;
  if (clip.kind !== "audio") throw new Error("not an audio clip");
  const at = await clipBox(page, state, 1, clip.start, clip.start + clip.frames);
  const stored = async () => (await stemzo.track(id, "rigging")).clips[2] as typeof clip;

  // One bar of 4/4 at 96 bpm is 120,000 frames; the drag snaps to the beat nearest to it.
  const pixels = (at.right - at.x) * (120_000 / clip.frames);
  await page.mouse.move((at.x + at.right) / 2, at.y);
  await page.mouse.down();
  await page.mouse.move((at.x + at.right) / 2 + pixels + 1, at.y, { steps: 6 });
  await page.mouse.up();
  await expect.poll(async () => (await stored()).start).toBe(clip.start + 120_000);
  await expect(
    page.getByRole("list", { name: "Clips" }).getByRole("button", { name: /^Halyards, bar 10\.1\.000/ }),
  ).toHaveAttribute("aria-pressed", "true");

  // The end, without snapping.
  await page.keyboard.down("Alt");
  await page.mouse.move(at.right + pixels - 2, at.y);
  await page.mouse.down();
  await page.mouse.move(at.right + pixels - 22, at.y, { steps: 4 });
  await page.mouse.up();
  await page.keyboard.up("Alt");
  await expect.poll(async () => (await stored()).frames).toBeLessThan(clip.frames - 40_000);
  const trimmed = await stored();
  expect(trimmed.start).toBe(clip.start + 120_000);
  expect(trimmed.offset).toBe(clip.offset);

  await page.keyboard.press("ArrowLeft");
  await expect.poll(async () => (await stored()).start).toBe(clip.start + 90_000);
  await page.keyboard.press("Shift+ArrowRight");
  await expect.poll(async () => (await stored()).offset).toBe(clip.offset + 30_000);
});

test("a frozen track's clips stay put and say why", async ({ page, stemzo }) => {
  const id = await stemzo.demo();
  await stemzo.finished((await stemzo.post<{ id: string }>(`/api/sessions/${id}/freeze`, { tracks: ["rigging"] })).id);
  await stemzo.open(page, id);
  await expect(head(page, "Rigging")).toContainText("frozen");
  const state = await stemzo.state(id);
  const clip = state.document.tracks[1]!.clips[0]!;
  const at = await clipBox(page, state, 1, clip.start, clip.start + 100_000);
  await page.mouse.move(at.x + 15, at.y);
  await page.mouse.down();
  await page.mouse.move(at.x + 80, at.y, { steps: 3 });
  await page.mouse.up();
  await expect(page.getByText("Rigging is frozen. Unfreeze it to edit its clips")).toBeVisible();
  expect((await stemzo.state(id)).revision).toBe(state.revision);

  // A change of its devices makes the print stale, which is said in words.
  await page.getByRole("button", { name: "EQ on Rigging" }).click();
  await page.getByRole("dialog").getByRole("switch").click();
  await page.keyboard.press("Escape");
  await expect(head(page, "Rigging")).toContainText("stale");
});

test("the palette and the keys page reach every action", async ({ page, stemzo }) => {
  const id = await stemzo.demo();
  await stemzo.open(page, id);
  await page.keyboard.press("/");
  await page.getByPlaceholder("What do you want to do?").fill("every track that can");
  await page.keyboard.press("Enter");
  await expect(page.getByRole("region", { name: "Print slip" })).toContainText("Freeze 13 tracks");
  await page.keyboard.press("?");
  await expect(page.getByRole("dialog", { name: "Keys" })).toContainText("Commit frozen tracks");
  await page.keyboard.press("Escape");
  await page.keyboard.press("2");
  await expect(page.getByRole("heading", { name: "Stem sheet" })).toBeVisible();
  await page.keyboard.press("1");
  await page.keyboard.press("Escape");
  await page.keyboard.press("ArrowDown");
  await page.keyboard.press("Shift+ArrowDown");
  await expect(page.getByRole("region", { name: "Print slip" })).toContainText("Freeze Water bed and Rigging");
});
