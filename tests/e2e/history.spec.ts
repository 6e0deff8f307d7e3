import { plainSlip } from "../../core/printing/slip";
import { expect, few, head, test } from "./stemzo";
import type { Session } from "../../core/session/document";

const quiet = (d: Session): Session => few(d, ["buoy", "rigging"]);

test("what was done is listed; a point is named, gone back to, undone, and compared by what sounds different", async ({
  page,
  stemzo,
}) => {
  const id = await stemzo.demo(quiet);
  const begun = (await stemzo.state(id)).document;
  const [first, second] = begun.tracks.filter((t) => t.kind === "audio");
  await stemzo.open(page, id);
  await page.keyboard.press("Shift+y");
  await page.getByRole("textbox", { name: /^Name of the version after/ }).fill("As it came");
  await page.keyboard.press("Enter");
  const sheet = page.getByRole("complementary", { name: "History" });
  await expect(sheet.getByRole("region", { name: "Versions" })).toContainText("As it came");
  await page.keyboard.press("Escape");
  await expect(sheet).toBeHidden();

  await head(page, first!.name).click();
  await page.keyboard.press("m");
  await expect
    .poll(async () => (await stemzo.state(id)).document.tracks.find((t) => t.id === first!.id)?.mute)
    .toBe(true);
  await head(page, second!.name).click();
  await page.keyboard.press("m");
  await page.keyboard.press("Control+z");
  const after = async () => (await stemzo.state(id)).document;
  await expect.poll(async () => (await stemzo.state(id)).revision).toBe(3);

  await page.keyboard.press("y");
  await expect(sheet.getByRole("region", { name: "What was done" }).getByRole("listitem")).toHaveCount(4);
  await expect(sheet).toContainText(/Undone: /);
  await sheet.getByRole("button", { name: "Compare with now: As it came" }).first().click();
  const compared = sheet.getByRole("region", { name: "Two versions compared" });
  await expect(compared).toContainText(first!.name, { timeout: 60_000 });
  await expect(compared).toContainText("The mix");
  await expect(compared).not.toContainText(second!.name);
  const place = compared.getByRole("button", { name: `Go to ${first!.name}` }).first();
  await place.click();

  await sheet.getByRole("button", { name: "Go back to: As it came" }).first().click();
  await expect.poll(after).toEqual(begun);
  await page.keyboard.press("Control+z");
  await expect.poll(async () => (await after()).tracks.find((t) => t.id === first!.id)?.mute).toBe(true);
});

test("what was printed and exported is one key away on every screen, said when it is done, and found by name, day and kind", async ({
  page,
  stemzo,
}) => {
  const id = await stemzo.demo(quiet);
  const [first] = (await stemzo.state(id)).document.tracks.filter((t) => t.kind === "audio");
  await stemzo.open(page, id, "/stems");
  // Who waits elsewhere hears of it.
  await stemzo.post(`/api/sessions/${id}/prints`, plainSlip([first!.id]));
  await expect(page.getByText(/print is made, on/)).toBeVisible({ timeout: 60_000 });
  await stemzo.finished((await stemzo.post<{ id: string }>(`/api/sessions/${id}/exports`)).id);
  await page.keyboard.press("u");
  const sheet = page.getByRole("complementary", { name: "Results" });
  await expect(sheet.getByRole("listitem")).toHaveCount(2);
  const search = sheet.getByRole("searchbox", { name: "Search results" });
  await search.fill("today export");
  await expect(sheet.getByRole("listitem")).toHaveCount(1);
  const [download] = await Promise.all([
    page.waitForEvent("download"),
    sheet.getByRole("link", { name: "download" }).click(),
  ]);
  expect(download.suggestedFilename()).toMatch(/\.zip$/);
  await search.fill(`${first!.name} print`);
  await expect(sheet.getByRole("listitem")).toHaveCount(1);
  await expect(sheet.getByRole("listitem")).toContainText(`print, on ${first!.name} print`);
  await search.fill("nothing of the kind");
  await expect(sheet).toContainText("Nothing that was made fits that.");
});

test("a meter tells the loudness of the mix or a group while it plays, and draws it over the timeline", async ({
  page,
  stemzo,
}) => {
  const id = await stemzo.demo(quiet);
  await stemzo.open(page, id);
  await page.keyboard.press("j");
  const sheet = page.getByRole("complementary", { name: "Loudness" });
  const value = (key: string) => sheet.locator(`[data-loudness=${key}]`);
  await expect(value("integrated")).toHaveText("–");
  /** Columns of the picture that have ink near its foot. */
  const drawn = () =>
    sheet.getByRole("img").evaluate((canvas: HTMLCanvasElement) => {
      const { data, width } = canvas.getContext("2d")!.getImageData(0, canvas.height - 22, canvas.width, 1);
      return Array.from({ length: width }, (_, x) => data[4 * x + 3]! > 0).filter(Boolean).length;
    });
  const blank = await drawn();
  await page.keyboard.press("Space");
  for (const key of ["momentary", "shortTerm", "integrated", "range", "truePeakDb"])
    await expect(value(key)).toHaveText(/^−?\d+\.\d$/, { timeout: 30_000 });
  const number = async (key: string) => Number((await value(key).textContent())!.replace("−", "-"));
  await page.keyboard.press("Space");
  // A peak is above what is loud for longer, and nothing here is at full scale.
  expect(await number("truePeakDb")).toBeGreaterThan(await number("integrated"));
  expect(await number("truePeakDb")).toBeLessThan(0);
  expect(await drawn()).toBeGreaterThan(blank + 2);
  // And in the lanes, in the row of the mix, where it stays when the sheet is closed.
  const trace = page.getByRole("img", { name: /^Short-term loudness of Mix over the timeline/ });
  const inked = () =>
    trace.evaluate((canvas: HTMLCanvasElement) => {
      const { data } = canvas.getContext("2d")!.getImageData(0, 0, canvas.width, canvas.height);
      return data.filter((v, i) => i % 4 === 3 && v > 0).length;
    });
  expect(await inked()).toBeGreaterThan(20);
  await page.keyboard.press("j");
  await expect(sheet).toBeHidden();
  expect(await inked()).toBeGreaterThan(20);
  await page.keyboard.press("j");
  await expect(value("integrated")).toHaveText(/^−?\d+\.\d$/);
  await sheet.getByRole("combobox", { name: "Whose loudness" }).click();
  await page.getByRole("option").nth(1).click();
  await expect(value("integrated")).toHaveText("–");
});

test("phrases are listed by name with where they are placed; a press goes there", async ({ page, stemzo }) => {
  const id = await stemzo.demo((d) => few(d, ["harp"]));
  await stemzo.open(page, id);
  await page.keyboard.press("Shift+U");
  const sheet = page.getByRole("complementary", { name: "Phrases" });
  const { document } = await stemzo.state(id);
  const clip = document.tracks.find((t) => t.id === "harp")!.clips.find((c) => c.kind === "notes")!;
  const phrase = document.phrases.find((p) => clip.kind === "notes" && p.id === clip.phrase)!;
  const row = sheet.getByRole("listitem").filter({ hasText: phrase.name });
  await row
    .getByRole("button", { name: /^Plucked line/ })
    .nth(1)
    .click();
  await expect(page.getByRole("timer", { name: "Playhead" })).not.toContainText("1.1.000");
  await expect(page.getByRole("group", { name: "Selected clip" })).toBeVisible();
  await row.getByRole("button", { name: `Phrase ${phrase.name}: ${phrase.name}. Rename` }).dblclick();
  await page.getByRole("textbox", { name: `Phrase ${phrase.name}` }).fill("Tide line");
  await page.keyboard.press("Enter");
  await expect.poll(async () => (await stemzo.state(id)).document.phrases.map((p) => p.name)).toContain("Tide line");
});
