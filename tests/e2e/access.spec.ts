import AxeBuilder from "@axe-core/playwright";
import { expect, few, head, test } from "./stemzo";

/** Findings that keep people from using a screen; by night only its colours differ. */
const serious = async (page: Parameters<Parameters<typeof test>[2]>[0]["page"], theme = "day") =>
  (
    await (theme === "day" ? new AxeBuilder({ page }) : new AxeBuilder({ page }).withRules("color-contrast")).analyze()
  ).violations
    .filter((v) => v.impact === "serious" || v.impact === "critical")
    .map(
      (v) =>
        `${v.id}: ${v.nodes
          .slice(0, 3)
          .map((n) => `${n.target.join(" ")} ${n.failureSummary?.split("\n")[1] ?? ""}`)
          .join(" | ")}`,
    );

test.describe.configure({ timeout: 360_000 });

test("no screen has a serious accessibility finding, by day or by night", async ({ page, stemzo }) => {
  const id = await stemzo.demo((d) => ({ ...d, sheet: { ...d.sheet, to: 3840, tail: "none" as const } }));
  await stemzo.finished((await stemzo.post<{ id: string }>(`/api/sessions/${id}/exports`)).id);
  for (const theme of ["day", "night"]) {
    await stemzo.open(page, id);
    await page.evaluate((t) => localStorage.setItem("stemzo-theme", t), theme);
    await stemzo.open(page, id);
    expect(await serious(page, theme)).toEqual([]);
    await head(page, "Glass pad").click();
    await page.getByRole("button", { name: "Synth on Glass pad" }).click();
    expect(await serious(page, theme)).toEqual([]);
    await page.keyboard.press("Escape");
    await page.keyboard.press("?");
    expect(await serious(page, theme)).toEqual([]);
    await page.keyboard.press("Escape");
    await stemzo.open(page, id, "/shelf");
    await expect(page.getByRole("list", { name: "Audio" })).toBeVisible();
    expect(await serious(page, theme)).toEqual([]);
    await stemzo.open(page, id, "/stems");
    await expect(page.getByRole("link", { name: "see its proof" })).toBeVisible();
    expect(await serious(page, theme)).toEqual([]);
    await stemzo.open(page, id, "/proof");
    await expect(page.getByRole("table")).toBeVisible();
    expect(await serious(page, theme)).toEqual([]);
  }
  await page.goto(stemzo.address);
  expect(await serious(page)).toEqual([]);
});

test("nor has any sheet that opens on the Bench, nor the print slip", async ({ page, stemzo }) => {
  const id = await stemzo.demo((d) => ({
    ...d,
    markers: [{ id: "m", name: "Bells", tick: 960 }],
    ranges: [{ id: "r", name: "Verse", from: 0, to: 3840 }],
  }));
  await stemzo.open(page, id);
  await head(page, "Water bed").click();
  await page.keyboard.press("Shift+P");
  await page.keyboard.press("a");
  expect(await serious(page)).toEqual([]);
  await page.keyboard.press("w");
  expect(await serious(page)).toEqual([]);
  await page
    .getByRole("list", { name: "Clips" })
    .getByRole("button", { name: /^Plucked/ })
    .first()
    .dispatchEvent("click");
  await page.keyboard.press("e");
  expect(await serious(page)).toEqual([]);
  await head(page, "Hand percussion").click();
  await page.keyboard.press("d");
  expect(await serious(page)).toEqual([]);
  await expect(page.locator("[data-load]")).toHaveText(/\d\.\d\d/, { timeout: 60_000 });
  for (const sheet of [/^Load: /, /^Limit on Mix$/]) {
    await page.getByRole("button", { name: sheet }).click();
    await expect(page.getByRole("dialog")).toBeVisible();
    expect(await serious(page)).toEqual([]);
    await page.keyboard.press("Escape");
  }
});

test("nor has any open menu, the palette, or the guide", async ({ page, stemzo }) => {
  const id = await stemzo.demo((d) => few(d, ["water", "harp", "hall"]));
  await stemzo.open(page, id);
  const menu = page.getByRole("menu");
  for (const on of [
    head(page, "Plucked line"),
    page.getByRole("button", { name: "EQ on Water bed" }),
    page.getByRole("button", { name: "Sends of Plucked line" }),
  ]) {
    await on.click({ button: "right" });
    await expect(menu.first()).toBeVisible();
    expect(await serious(page)).toEqual([]);
    await page.keyboard.press("Escape");
    await expect(menu).toHaveCount(0);
  }
  await page.keyboard.press("/");
  await page.getByPlaceholder("What do you want to do?").fill("mute");
  expect(await serious(page)).toEqual([]);
  await page.goto(`${stemzo.address}/guide`);
  await expect(page.getByRole("heading", { name: "The guide" })).toBeVisible();
  expect(await serious(page)).toEqual([]);
});
