import type { Page } from "@playwright/test";
import type { AudioClip } from "../../core/session/document";
import type { Stemzo } from "./stemzo";
import { expect, few, test } from "./stemzo";

const clipOf = async (stemzo: Stemzo, id: string, clip: string): Promise<AudioClip> =>
  (await stemzo.track(id, "buoy")).clips.find((c) => c.id === clip) as AudioClip;

async function chosen(page: Page, name: RegExp): Promise<void> {
  await page.getByRole("list", { name: "Clips" }).getByRole("button", { name }).first().dispatchEvent("click");
}

test("time is held, moved and let go inside a clip, and its pitch bent, by hand, by key and in numbers; all of it undone", async ({
  page,
  stemzo,
}) => {
  const id = await stemzo.demo((d) => few(d, ["buoy"]));
  await stemzo.open(page, id);
  const clip = () => clipOf(stemzo, id, "buoy-1");
  const before = await clip();
  await chosen(page, /^Bell, near/);
  await page.keyboard.press("e");
  const sheet = page.getByRole("region", { name: "Time and pitch" });
  const picture = sheet.getByRole("group", { name: /^Time and pitch of Bell, near/ });
  await expect(picture).toBeVisible();
  const box = (await picture.boundingBox())!;
  const strip = sheet.locator("svg rect").first();
  const span = (await strip.boundingBox())!;

  // The strip above the wave: what sounds in the middle is held, and with it both ends of the clip.
  await page.mouse.click(span.x + span.width / 2, box.y + 8);
  await expect.poll(async () => (await clip()).timeMarks.length).toBe(2);
  const [held] = (await clip()).timeMarks;
  expect(held!.to).toBe(held!.at);
  expect(Math.abs(held!.to - before.frames / 2)).toBeLessThan(before.frames / 20);
  await page.getByRole("button", { name: /^Time marker 1/ }).focus();
  for (let i = 0; i < 5; i++) await page.keyboard.press("ArrowRight");
  await expect.poll(async () => (await clip()).timeMarks[0]!.to).toBe(held!.to + 5 * 48);
  await sheet.getByLabel("Moved by, milliseconds").fill("20");
  await sheet.getByLabel("Moved by, milliseconds").press("Enter");
  await expect.poll(async () => (await clip()).timeMarks[0]!.to).toBe(held!.to + 960);
  expect((await clip()).timeMarks[1]).toEqual({ at: before.offset + before.frames, to: before.offset + before.frames });
  expect((await clip()).frames).toBe(before.frames);

  // By hand, without holding on to the grid.
  const mark = (await page.getByRole("button", { name: /^Time marker 1/ }).boundingBox())!;
  await page.keyboard.down("Alt");
  await page.mouse.move(mark.x + mark.width / 2, mark.y + 5);
  await page.mouse.down();
  await page.mouse.move(mark.x + mark.width / 2 + 20, mark.y + 5, { steps: 5 });
  await page.mouse.up();
  await page.keyboard.up("Alt");
  const perPixel = before.frames / span.width;
  await expect
    .poll(async () => Math.abs((await clip()).timeMarks[0]!.to - held!.to - 960 - 20 * perPixel))
    .toBeLessThan(3 * perPixel);

  // On the wave a point of pitch, and a second one; by key, and in numbers.
  await page.mouse.click(span.x + span.width / 4, box.y + 60);
  await expect.poll(async () => (await clip()).pitchLine.length).toBe(1);
  await sheet.getByLabel("Cents at the point").fill("-50");
  await sheet.getByLabel("Cents at the point").press("Enter");
  await expect.poll(async () => (await clip()).pitchLine[0]!.cents).toBe(-50);
  await page.mouse.click(span.x + (3 * span.width) / 4, box.y + 120);
  await expect.poll(async () => (await clip()).pitchLine.length).toBe(2);
  const { cents } = (await clip()).pitchLine[1]!;
  await page.getByRole("button", { name: /^Point of pitch 2/ }).focus();
  await page.keyboard.press("ArrowUp");
  await expect.poll(async () => (await clip()).pitchLine[1]!.cents).toBe(cents + 10);
  await page.keyboard.press("Delete");
  await expect.poll(async () => (await clip()).pitchLine.length).toBe(1);

  // Wherever something begins; to the grid; and all let go.
  await sheet.getByRole("button", { name: "Hold beginnings" }).click();
  await expect.poll(async () => (await clip()).timeMarks.length).toBeGreaterThan(2);
  await sheet.getByRole("button", { name: "Let go" }).click();
  await expect.poll(async () => (await clip()).timeMarks).toEqual([]);
  await sheet.getByRole("button", { name: "Level pitch" }).click();
  await expect.poll(clip).toEqual(before);
});

test("clip effects ring on behind the clip when asked to; the row of a track is enlarged, and its clips are moved there", async ({
  page,
  stemzo,
}) => {
  const id = await stemzo.demo((d) => few(d, ["buoy"]));
  await stemzo.open(page, id);
  await chosen(page, /^Bell, under way/);
  const clip = () => clipOf(stemzo, id, "buoy-3");
  expect((await clip()).ringsOn).toBe(true);
  await page.getByRole("button", { name: /^effects/ }).click();
  await page.getByLabel(/ring on behind/).uncheck();
  await expect.poll(async () => (await clip()).ringsOn).toBe(false);
  await page.keyboard.press("Escape");

  await page.keyboard.press("b");
  const row = page.getByRole("img", { name: /^The row, enlarged/ });
  await expect(row).toBeVisible();
  const { start, frames } = await clip();
  const lanes = (await row.boundingBox())!;
  const perPixel = Number(await row.getAttribute("data-frames-per-pixel"));
  const x = lanes.x + (start + frames / 2) / perPixel;
  await page.keyboard.down("Alt");
  await page.mouse.move(x, lanes.y + lanes.height / 2);
  await page.mouse.down();
  await page.mouse.move(x + 30, lanes.y + lanes.height / 2, { steps: 5 });
  await page.mouse.up();
  await page.keyboard.up("Alt");
  await expect.poll(async () => Math.abs((await clip()).start - start - 30 * perPixel)).toBeLessThan(2 * perPixel);
  await page.keyboard.press("b");
  await expect(row).toBeHidden();
});

test("stems are given a tail of beats, exact to the frame", async ({ page, stemzo }) => {
  const id = await stemzo.demo((d) => few(d, ["buoy"]));
  await stemzo.open(page, id, "/stems");
  await page.getByRole("combobox", { name: "Tail", exact: true }).click();
  await page.getByRole("option", { name: /^beats/ }).click();
  await page.getByLabel("Beats of tail").fill("8");
  await page.getByLabel("Beats of tail").press("Enter");
  await expect.poll(async () => (await stemzo.state(id)).document.sheet).toMatchObject({ tail: "beats", tailBeats: 8 });
});
