import { expect, test } from "./stemzo";
import type { SessionSummary } from "../../contract/session";

test("a session is begun, named, copied, deleted and brought back from the list", async ({ page, stemzo }) => {
  await page.goto(stemzo.address);
  await expect(page.locator("[data-awake]")).toBeVisible();
  await page.getByRole("button", { name: "New session", exact: true }).click();
  await page.getByRole("textbox", { name: "Name", exact: true }).fill("Night ferry");
  await page.getByLabel("Tempo, beats to the minute").fill("84");
  await page.getByRole("combobox", { name: "Meter" }).click();
  await page.getByRole("option", { name: "6/8" }).click();
  await page.getByRole("button", { name: "Create session" }).click();
  await expect(page).toHaveURL(/\/s\//);
  const id = page.url().split("/s/")[1]!;
  const { document } = await stemzo.state(id);
  expect([document.name, document.tempo, document.meter, document.tracks.map((t) => t.kind)]).toEqual([
    "Night ferry",
    [{ tick: 0, bpm: 84, shape: "hold" }],
    [{ bar: 1, numerator: 6, denominator: 8 }],
    ["mix"],
  ]);
  await expect(page.getByText("Drop audio or MIDI files here")).toBeVisible();

  await page.goto(stemzo.address);
  await expect(page.locator("[data-awake]")).toBeVisible();
  await page.getByRole("button", { name: "Rename Night ferry" }).click();
  await page.getByRole("textbox", { name: "Name of Night ferry" }).fill("Dawn ferry");
  await page.keyboard.press("Enter");
  await expect(page.getByRole("link", { name: /^Dawn ferry/ })).toBeVisible();
  expect((await stemzo.state(id)).document.name).toBe("Dawn ferry");

  await page.getByRole("button", { name: "Duplicate Dawn ferry", exact: true }).click();
  await expect(page.getByRole("link", { name: /^Dawn ferry copy/ })).toBeVisible();
  const listed = async () =>
    (await stemzo.get<readonly SessionSummary[]>("/api/sessions")).filter((s) => s.name.startsWith("Dawn ferry"));
  const copy = (await listed()).find((s) => s.name === "Dawn ferry copy")!;
  expect((await stemzo.state(copy.id)).document).toEqual({
    ...(await stemzo.state(id)).document,
    name: "Dawn ferry copy",
  });

  await page.getByRole("button", { name: "Delete Dawn ferry copy" }).click();
  await expect(page.getByRole("link", { name: /^Dawn ferry copy/ })).toBeHidden();
  expect((await listed()).find((s) => s.id === copy.id)?.deletedAt).not.toBeNull();
  await page.getByRole("button", { name: "Bring it back" }).click();
  await expect(page.getByRole("link", { name: /^Dawn ferry copy/ })).toBeVisible();
  // The same later, when the notice has gone.
  await page.getByRole("button", { name: "Delete Dawn ferry copy" }).click();
  await page.reload();
  await expect(page.locator("[data-awake]")).toBeVisible();
  await page.getByText(/deleted sessions?, kept whole/).click();
  await page.getByRole("button", { name: "Bring back Dawn ferry copy" }).click();
  await expect(page.getByRole("link", { name: /^Dawn ferry copy/ })).toBeVisible();
  expect((await listed()).every((s) => s.deletedAt === null)).toBe(true);
});
