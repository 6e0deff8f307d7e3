import { expect, head, test } from "./stemzo";
import { few } from "../setup/few";

test("a right click selects what it is on and offers its actions, the menu key what is selected", async ({
  page,
  stemzo,
}) => {
  const id = await stemzo.demo((d) => few(d, ["water", "buoy", "rigging"]));
  await stemzo.open(page, id);
  const menu = page.getByRole("menu", { name: /^Actions of the/ });
  const item = (name: RegExp) => menu.getByRole("menuitem", { name });

  // A track: what cannot be done says why.
  await head(page, "Bell buoy").click({ button: "right" });
  await expect(menu).toHaveAccessibleName("Actions of the track");
  await expect(item(/^Unfreeze tracks/)).toHaveAttribute("aria-disabled", "true");
  await expect(item(/^Unfreeze tracks/)).not.toHaveText(/^Unfreeze tracks\S?$/);
  await item(/^Mute/).click();
  await expect.poll(async () => (await stemzo.track(id, "buoy")).mute).toBe(true);
  await expect(menu).toBeHidden();

  // Without a mouse: of what is selected.
  await page.keyboard.press("Shift+F10");
  await expect(menu).toHaveAccessibleName("Actions of the track");
  await page.keyboard.press("Escape");

  // A clip, then the range that is drawn over it.
  const lanes = (await page.locator("[data-lanes]").boundingBox())!;
  const clips = async () => (await stemzo.track(id, "water")).clips;
  const before = (await clips()).length;
  await page.mouse.click(lanes.x + lanes.width * 0.2, lanes.y + 20, { button: "right" });
  await expect(menu).toHaveAccessibleName("Actions of the clip");
  await item(/^Duplicate clips/).click();
  await expect.poll(async () => (await clips()).length).toBe(before + 1);
  await page.getByRole("button", { name: /^Undo: Repeat|^Undo: Duplicate/ }).click();
  await expect.poll(async () => (await clips()).length).toBe(before);

  // On the ruler, and on ground where nothing is.
  await page.mouse.click(lanes.x + 60, lanes.y - 8, { button: "right" });
  await expect(menu).toHaveAccessibleName("Actions of the ruler");
  await item(/^Set a marker/).click();
  await expect.poll(async () => (await stemzo.state(id)).document.markers.length).toBe(1);
  await page.keyboard.press("Escape");
  await page.mouse.click(lanes.x + 60, lanes.y + lanes.height - 6, { button: "right" });
  await expect(menu).toHaveAccessibleName(/session|track/);
  await page.keyboard.press("Escape");
  await expect(menu).toBeHidden();
});

test("the palette finds an action by what else it is called, what is possible first", async ({ page, stemzo }) => {
  const id = await stemzo.demo((d) => few(d, ["water", "buoy"]));
  await stemzo.open(page, id);
  const first = page.getByRole("dialog").getByRole("option").first();
  for (const [words, label] of [
    ["bounce mixdown", "Bounce the mix"],
    ["glue", "Consolidate clips"],
    ["hear only", "Solo tracks"],
    ["transients", "Slice at onsets"],
  ] as const) {
    await page.keyboard.press("/");
    await page.getByPlaceholder("What do you want to do?").fill(words);
    await expect(first).toContainText(label);
    await page.keyboard.press("Escape");
  }
  // With nothing selected, what needs a selection stands last.
  await page.keyboard.press("/");
  const groups = page.getByRole("dialog").locator("[cmdk-group-heading]");
  await expect(groups.last()).toHaveText("Not possible now");
});
