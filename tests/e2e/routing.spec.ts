import type { Locator, Page } from "@playwright/test";
import { expect, head, test } from "./stemzo";

async function carry(page: Page, from: Locator, dx: number, dy: number): Promise<void> {
  const box = (await from.boundingBox())!;
  const [x, y] = [box.x + box.width / 2, box.y + box.height / 2];
  await page.mouse.move(x, y);
  await page.mouse.down();
  await page.mouse.move(x + dx / 2, y + dy / 2, { steps: 3 });
  await page.mouse.move(x + dx, y + dy, { steps: 3 });
  await page.mouse.up();
}

test("devices come, move, take a key and go; sends come and go; a path is run elsewhere by its end and by list", async ({
  page,
  stemzo,
}) => {
  const id = await stemzo.demo();
  await stemzo.open(page, id);
  const rigging = () => stemzo.track(id, "rigging");
  const types = async () => (await rigging()).devices.map((d) => d.type);

  await page.getByRole("button", { name: "Add a device to Rigging" }).click();
  await page.getByRole("menuitem", { name: /^Comp/ }).click();
  await expect.poll(types).toEqual(["eq", "compressor"]);
  await page.getByRole("button", { name: "Add a device to Rigging" }).press("Enter");
  await expect(page.getByRole("menuitem").first()).toBeFocused();
  await page.keyboard.type("war");
  await expect(page.getByRole("menuitem", { name: /^Warmth/ })).toBeFocused();
  await page.keyboard.press("Enter");
  await expect.poll(types).toEqual(["eq", "compressor", "saturator"]);

  // Carried in front of the first.
  const bead = (name: string) => page.getByRole("button", { name: new RegExp(`^${name}.* on Rigging`) });
  const first = (await bead("EQ").boundingBox())!;
  const last = (await bead("Warmth").boundingBox())!;
  await carry(page, bead("Warmth"), first.x - last.x - 10, 0);
  await expect.poll(types).toEqual(["saturator", "eq", "compressor"]);
  await expect(page.getByRole("dialog")).toBeHidden();

  await bead("Comp").click();
  const panel = page.getByRole("dialog");
  await panel.getByRole("combobox", { name: "Key of Comp" }).click();
  await page.getByRole("option", { name: "Hand percussion" }).click();
  await expect
    .poll(async () => (await rigging()).devices[2]?.key)
    .toBe((await stemzo.state(id)).document.tracks.find((t) => t.name === "Hand percussion")!.id);
  await panel.getByRole("button", { name: "Move Comp towards the start" }).click();
  await expect.poll(types).toEqual(["saturator", "compressor", "eq"]);
  await panel.getByRole("button", { name: "Remove Comp" }).click();
  await expect.poll(types).toEqual(["saturator", "eq"]);
  await page.keyboard.press("Escape");

  const before = (await rigging()).sends.length;
  await page.getByRole("button", { name: "Sends of Rigging" }).click();
  const sends = page.getByRole("dialog");
  const other = (await stemzo.state(id)).document.tracks
    .filter((t) => t.kind === "return")
    .find((t) => t.name !== "Hall")!;
  await sends.getByRole("button", { name: other.name, exact: true }).click();
  await expect
    .poll(async () => (await rigging()).sends.at(-1))
    .toMatchObject({ to: other.id, gainDb: -12, position: "after fader" });
  await sends.getByRole("combobox", { name: `Where the send to ${other.name} leaves` }).click();
  await page.getByRole("option", { name: /^before fader/ }).click();
  await expect.poll(async () => (await rigging()).sends.at(-1)?.position).toBe("before fader");
  await sends.getByRole("button", { name: `Remove the send to ${other.name}` }).click();
  await expect.poll(async () => (await rigging()).sends.length).toBe(before);
  await page.keyboard.press("Escape");

  // By its end, dragged onto the row of the mix; then by the list, from the keyboard.
  const rows = (await stemzo.state(id)).document.tracks;
  const end = page.getByRole("button", { name: /^Rigging runs into/ });
  const height = (await head(page, "Rigging").boundingBox())!.height;
  const group = rows.findIndex((t) => t.name === "Quay");
  expect((await rigging()).output).toBe(rows[group]!.id);
  await end.press("Enter");
  await page.getByRole("menuitem", { name: /^Mix/ }).press("Enter");
  await expect.poll(async () => (await rigging()).output).toBe("mix");
  await carry(page, end, -30, (group - rows.findIndex((t) => t.id === "rigging")) * height);
  await expect.poll(async () => (await rigging()).output).toBe(rows[group]!.id);
  await expect(end).toHaveAttribute("aria-label", "Rigging runs into Quay");
  await carry(page, end, -30, height);
  await expect(page.getByText("Let it go on a group or on the mix.")).toBeVisible();

  // Several that are chosen together go together, in one step.
  await head(page, "Rigging").click();
  await head(page, "Bell buoy").click({ modifiers: ["Control"] });
  await end.press("Enter");
  await page.getByRole("menuitem", { name: /^Mix/ }).press("Enter");
  const outputs = async () =>
    (await stemzo.state(id)).document.tracks.filter((t) => t.id === "rigging" || t.id === "buoy").map((t) => t.output);
  await expect.poll(outputs).toEqual(["mix", "mix"]);
  expect((await stemzo.state(id)).undo).toBe("Run 2 tracks into Mix");

  for (let i = 0; i < 30 && (await stemzo.state(id)).undo !== null; i++) {
    const { revision } = await stemzo.state(id);
    await page.keyboard.press("Control+z");
    await expect.poll(async () => (await stemzo.state(id)).revision).toBe(revision + 1);
  }
  expect((await stemzo.state(id)).document).toEqual((await stemzo.state("harbour-lamps")).document);
});

test("tracks are added, grouped, carried to another place, copied, parked and removed; nothing points at what is gone", async ({
  page,
  stemzo,
}) => {
  const id = await stemzo.demo();
  await stemzo.open(page, id);
  const tracks = async () => (await stemzo.state(id)).document.tracks;
  const names = async () => (await tracks()).map((t) => t.name);
  const original = await names();

  await head(page, "Water bed").click();
  await page.getByRole("button", { name: "Add a track" }).click();
  await page.getByRole("menuitem", { name: /^Instrument track/ }).click();
  await expect.poll(async () => (await names())[1]).toBe("Instrument 1");
  await expect(head(page, "Instrument 1")).toContainText("instrument · live");

  // Into a group of their own.
  await head(page, "Water bed").click({ modifiers: ["Control"] });
  await page.keyboard.press("Control+g");
  await expect.poll(async () => (await names()).slice(0, 3)).toEqual(["Water bed", "Instrument 1", "Group 1"]);
  const [water, instrument, group] = await tracks();
  expect([water!.output, instrument!.output, group!.output]).toEqual([
    group!.id,
    group!.id,
    (await stemzo.track("harbour-lamps", "water")).output,
  ]);

  // By its number, below the third row.
  const height = (await head(page, "Water bed").boundingBox())!.height;
  await carry(page, head(page, "Water bed").getByText("1", { exact: true }), 0, height * 2.1);
  await expect.poll(async () => (await names()).slice(0, 3)).toEqual(["Instrument 1", "Group 1", "Water bed"]);
  await head(page, "Water bed").click();
  await page.keyboard.press("Control+ArrowUp");
  await expect.poll(async () => (await names()).slice(0, 3)).toEqual(["Instrument 1", "Water bed", "Group 1"]);

  await page.keyboard.press("Control+Shift+D");
  await expect
    .poll(async () => (await names()).slice(0, 4))
    .toEqual(["Instrument 1", "Water bed", "Water bed copy", "Group 1"]);
  await page.keyboard.press("/");
  await page.getByPlaceholder("What do you want to do?").fill("Park tracks");
  await page.keyboard.press("Enter");
  await expect(head(page, "Water bed copy")).toContainText("parked");

  // The group goes; what ran into it runs on.
  await head(page, "Group 1").click();
  await page.keyboard.press("Shift+Delete");
  await expect.poll(names).not.toContain("Group 1");
  const after = await tracks();
  expect(after.filter((t) => t.output === group!.id)).toEqual([]);
  expect(after.find((t) => t.name === "Instrument 1")!.output).toBe(group!.output);

  await head(page, "Mix").click();
  await page.keyboard.press("Shift+Delete");
  await expect(page.getByText("The mix stays where it is")).toBeVisible();

  for (let i = 0; i < 20 && (await stemzo.state(id)).undo !== null; i++) {
    const { revision } = await stemzo.state(id);
    await page.keyboard.press("Control+z");
    await expect.poll(async () => (await stemzo.state(id)).revision).toBe(revision + 1);
  }
  expect(await names()).toEqual(original);
});

test("a path that would run in a circle is refused, with the circle named; nothing changes", async ({
  page,
  stemzo,
}) => {
  const id = await stemzo.demo();
  await stemzo.open(page, id);
  await page.getByRole("button", { name: /^Air runs into/ }).press("Enter");
  await page.getByRole("menuitem", { name: /^Quay/ }).press("Enter");
  await expect.poll(async () => (await stemzo.track(id, "air")).output).toBe("quay");
  await page.getByRole("button", { name: /^Quay runs into/ }).press("Enter");
  await page.getByRole("menuitem", { name: /^Air/ }).press("Enter");
  await expect(page.getByText('"Run Quay into Air" is not possible.')).toBeVisible();
  await expect(page.getByText(/Quay.*Air.*Quay|Air.*Quay.*Air/)).toBeVisible();
  expect((await stemzo.state(id)).revision).toBe(1);
});
