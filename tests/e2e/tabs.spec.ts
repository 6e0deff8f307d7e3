import { expect, head, test } from "./stemzo";

test("two tabs on one session never lose an edit, also when one was cut off", async ({ context, stemzo }) => {
  const id = await stemzo.demo();
  const [one, two] = [await context.newPage(), await context.newPage()];
  await stemzo.open(one, id);
  await stemzo.open(two, id);

  // Both edit at once, again and again.
  await one.getByRole("slider", { name: "Fader of Rigging" }).focus();
  await two.getByRole("slider", { name: "Fader of Foghorn bass" }).focus();
  for (let i = 0; i < 6; i++) await Promise.all([one.keyboard.press("ArrowLeft"), two.keyboard.press("ArrowLeft")]);
  await expect
    .poll(async () => [(await stemzo.track(id, "rigging")).faderDb, (await stemzo.track(id, "horn")).faderDb])
    .toEqual([-4.5, -9]);
  await expect(one.getByRole("slider", { name: "Fader of Foghorn bass" })).toHaveAttribute("aria-valuenow", "-9");
  await expect(two.getByRole("slider", { name: "Fader of Rigging" })).toHaveAttribute("aria-valuenow", "-4.5");
  expect((await stemzo.state(id)).revision).toBe(12);

  // One tab's requests fail for a while: it says so, keeps its edits, and catches up.
  await one.route("**/edits", (route) => route.abort());
  await one.getByRole("button", { name: "Mute Glass pad" }).click();
  await expect(one.getByRole("status").filter({ hasText: "not connected" })).toBeVisible();
  await expect(head(one, "Glass pad")).toContainText("muted");
  await two.getByRole("button", { name: "Mute Water bed" }).click();
  await expect.poll(async () => (await stemzo.track(id, "water")).mute).toBe(true);
  expect((await stemzo.track(id, "pad")).mute).toBe(false);
  await one.unroute("**/edits");
  await expect.poll(async () => (await stemzo.track(id, "pad")).mute, { timeout: 15_000 }).toBe(true);
  await expect(head(two, "Glass pad")).toContainText("muted");
  await expect(head(one, "Water bed")).toContainText("muted");
});

test("an edit of a track that another tab deleted is refused in words", async ({ page, stemzo }) => {
  const id = await stemzo.demo();
  await stemzo.open(page, id);
  await page.route("**/edits", (route) => route.abort());
  await page.getByRole("button", { name: "Mute Rigging" }).click();
  await stemzo.post(`/api/sessions/${id}/edits`, {
    base: 0,
    steps: [
      {
        id: "gone",
        step: {
          label: "Delete",
          edits: [
            { do: "remove", in: "rows", id: "row-rigging" },
            { do: "remove", in: "tracks", id: "rigging" },
          ],
        },
      },
    ],
  });
  await expect(page.getByText('"Mute of Rigging" does not fit any more.')).toBeVisible();
  await expect(head(page, "Rigging")).toHaveCount(0);
});
