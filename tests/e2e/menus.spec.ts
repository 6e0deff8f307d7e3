import type { Locator } from "@playwright/test";
import { pass } from "./real-time";
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
  await page.getByRole("button", { name: /^Marker / }).click({ button: "right" });
  await page
    .getByRole("menu", { name: /^Marker / })
    .getByRole("menuitem", { name: "Remove marker" })
    .click();
  await expect.poll(async () => (await stemzo.state(id)).document.markers.length).toBe(0);
  await page.mouse.click(lanes.x + lanes.width - 12, lanes.y + lanes.height - 6, { button: "right" });
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

  // What opens a sheet, and what turns a name into a field where it stands.
  await page.getByPlaceholder("What do you want to do?").fill("bpm");
  await expect(first).toContainText("Tempo and meter");
  await page.keyboard.press("Enter");
  await expect(page.getByRole("dialog", { name: "Tempo and meter" })).toBeVisible();
  await page.keyboard.press("Escape");
  await expect(page.getByRole("dialog")).toHaveCount(0);
  await head(page, "Bell buoy").click();
  await page.keyboard.press("/");
  await page.getByPlaceholder("What do you want to do?").fill("name the track");
  await expect(first).toContainText("Rename track");
  await page.keyboard.press("Enter");
  await page.keyboard.type("Far bell");
  await page.keyboard.press("Enter");
  await expect.poll(async () => (await stemzo.track(id, "buoy")).name).toBe("Far bell");
});

test("whatever can be done something with has a menu of its own, by right click and by key", async ({
  page,
  stemzo,
}) => {
  const id = await stemzo.demo((d) => few(d, ["hands", "harp", "water", "hall"]));
  await stemzo.open(page, id);
  const menu = page.getByRole("menu");
  const opens = async (on: Locator, first: string, position?: { x: number; y: number }) => {
    await on.click({ button: "right", ...(position ? { position } : {}) });
    await expect(menu.getByRole("menuitem").first()).toContainText(first);
    expect(await menu.getByRole("menuitem").count()).toBeLessThanOrEqual(9);
  };
  const closes = async () => {
    await page.keyboard.press("Escape");
    await expect(menu).toHaveCount(0);
  };
  const eq = page.getByRole("button", { name: "EQ on Water bed" });
  await opens(eq, "Open device");
  await page.getByRole("menuitem", { name: "Bypass device" }).click();
  await expect.poll(async () => (await stemzo.track(id, "water")).devices[0]!.on).toBe(false);
  await page.getByRole("button", { name: /^EQ on Water bed/ }).focus();
  await page.keyboard.press("Shift+F10");
  await page.keyboard.press("Enter");
  await expect(page.getByRole("dialog", { name: "EQ on Water bed" })).toBeVisible();
  await page.keyboard.press("Escape");
  await opens(page.getByRole("slider", { name: "Pan of Plucked line" }), "Set fader to 0 dB");
  await closes();
  await opens(page.getByRole("button", { name: "Sends of Plucked line" }), "To Hall");
  await closes();

  await head(page, "Hand percussion").click();
  await page.keyboard.press("d");
  await opens(page.getByRole("button", { name: /^Pad 2,/ }), "Hear pad");
  await page.getByRole("menuitem", { name: "Clear pad" }).click();
  const padTwo = async () => (await stemzo.track(id, "hands")).devices[0]!.layers.filter((l) => l.pad === 1);
  await expect.poll(async () => (await padTwo()).length).toBe(0);
  await page.keyboard.press("d");

  await page
    .getByRole("list", { name: "Clips" })
    .getByRole("button", { name: /Plucked|harp/i })
    .first()
    .dispatchEvent("click");
  await page.keyboard.press("e");
  const notes = page.getByRole("application", { name: /^Notes of/ });
  await notes.focus();
  await page.keyboard.press("Control+a");
  const before = (await stemzo.state(id)).document.phrases.find((p) => p.notes.length > 0 && p.id === "harp-line")!;
  await opens(notes, "Delete notes", { x: 4, y: 4 });
  await page.getByRole("menuitem", { name: "Transpose" }).hover();
  await page.getByRole("menuitem", { name: "Octave up" }).click();
  await expect
    .poll(async () => (await stemzo.state(id)).document.phrases.find((p) => p.id === before.id)!.notes[0]!.pitch)
    .toBe(before.notes[0]!.pitch + 12);

  await page.keyboard.press("2");
  await opens(page.getByRole("list", { name: "Stems" }).getByRole("listitem").first(), "Leave out of this export", {
    x: 60,
    y: 4,
  });
  await closes();
  await page.keyboard.press("5");
  await opens(page.getByRole("list", { name: "Audio" }).getByRole("listitem").first(), "Place on a new track", {
    x: 60,
    y: 4,
  });
  await closes();
  await page.goto(`${stemzo.address}/`);
  await opens(page.getByRole("list", { name: "Sessions" }).getByRole("listitem").first(), "Open session", {
    x: 200,
    y: 8,
  });
  await closes();
});

test("sheets and menus open beside their button, and leave the focus where it belongs", async ({ page, stemzo }) => {
  await stemzo.open(page, await stemzo.demo());
  const bead = page.getByRole("button", { name: /^Comp on Quay/ });
  const sheet = page.getByRole("dialog", { name: /^Comp on Quay/ });
  await expect(bead).toHaveAttribute("aria-expanded", "false");
  await bead.click();
  await expect(sheet).toBeVisible();
  await expect(bead).toHaveAttribute("aria-expanded", "true");
  await page.keyboard.press("Escape");
  await expect(sheet).toBeHidden();
  await expect(bead).toBeFocused();
  // A second press closes it.
  await bead.click();
  await bead.click();
  await expect(sheet).toBeHidden();
  // A press elsewhere closes it and keeps the focus.
  await bead.click();
  await page.getByRole("button", { name: /^Session: / }).click();
  await expect(sheet).toBeHidden();
  await pass(page, 0.2);
  await expect(page.getByRole("textbox", { name: "Session" })).toBeFocused();
  await page.keyboard.press("Escape");

  const plus = page.getByRole("button", { name: /^Add a device to Quay/ });
  const menu = page.getByRole("menu", { name: /^Add a device to Quay/ });
  await plus.focus();
  await page.keyboard.press("Enter");
  const [button, list] = [(await plus.boundingBox())!, (await menu.boundingBox())!];
  expect(Math.abs(list.x - button.x) < 4 || list.x + list.width > 1200).toBe(true);
  await expect(menu.getByRole("menuitem").first()).toBeFocused();
  await page.keyboard.press("ArrowDown");
  await expect(menu.getByRole("menuitem").nth(1)).toBeFocused();
  await page.keyboard.press("Escape");
  await expect(menu).toBeHidden();
  await expect(plus).toBeFocused();
  await plus.click();
  await expect(menu).toBeVisible();
  await plus.click();
  await expect(menu).toBeHidden();
});
