import { execFileSync } from "node:child_process";
import type { Session } from "../../core/session/document";
import { expect, head, test } from "./stemzo";

const light = (d: Session): Session => ({
  ...d,
  tracks: d.tracks.map((t) =>
    t.name === "Glass pad" || t.name === "Lamp bells" || t.name === "Bowed strings" ? { ...t, parked: true } : t,
  ),
});

test("the shelf: what lies on it, where it came from and where it is used; searched, placed, carried onto a lane, cleared, brought back; a print's source is reopened", async ({
  page,
  stemzo,
}) => {
  const id = await stemzo.demo(light);
  const job = await stemzo.post<{ id: string }>(`/api/sessions/${id}/prints`, {
    tracks: ["rigging"],
    tap: "devices",
    range: { by: "zero" },
  });
  expect((await stemzo.finished(job.id)).status).toBe("done");
  await stemzo.open(page, id, "/shelf");
  const list = page.getByRole("list", { name: "Audio" });
  const print = list.getByRole("listitem").filter({ hasText: "Rigging print" });
  await expect(print).toContainText("of Rigging, tapped after its devices, at revision 0");
  await expect(print).toContainText("on Rigging print");
  await expect(list.getByRole("listitem").filter({ hasText: "Rigging in the wind" })).toContainText(
    "on Rigging, 6 times",
  );

  // It is saved as a file of whatever format; the name is made of chips.
  await print.getByRole("button", { name: "Save Rigging print as a file" }).click();
  const form = page.getByRole("dialog", { name: "Save Rigging print as a file" });
  await form.getByRole("combobox", { name: "Format" }).click();
  await page.getByRole("option", { name: /^FLAC/ }).click();
  await form.getByRole("combobox", { name: "Depth" }).click();
  await page.getByRole("option", { name: /^16-bit/ }).click();
  await form.getByRole("button", { name: "Add tempo to the name" }).click();
  const [saved] = await Promise.all([
    page.waitForEvent("download"),
    form.getByRole("button", { name: "Save", exact: true }).click(),
  ]);
  expect(saved.suggestedFilename()).toMatch(/^Rigging print [\d.]+ bpm\.flac$/);
  const asset = (await stemzo.state(id)).document.assets.find((a) => a.name === "Rigging print")!;
  const info = execFileSync("soxi", ["-t", await saved.path()]).toString();
  expect(info.trim()).toBe("flac");
  expect(Number(execFileSync("soxi", ["-s", await saved.path()]).toString())).toBe(asset.frames);
  await expect(form).toContainText("It is kept here for a day.");
  await page.keyboard.press("Escape");

  await page.getByRole("searchbox", { name: "Search the shelf" }).fill("printed today");
  await expect(list.getByRole("listitem")).toHaveCount(1);
  await page.getByRole("searchbox", { name: "Search the shelf" }).fill("");

  // The source changes: the print says so. Reopened, the source comes back as it was when it was printed, and the print
  // rests.
  const { revision } = await stemzo.state(id);
  await stemzo.post(`/api/sessions/${id}/edits`, {
    base: revision,
    steps: [
      {
        id: "louder",
        step: {
          label: "Gain",
          edits: [
            {
              do: "set",
              in: "clips",
              track: "rigging",
              id: (await stemzo.track(id, "rigging")).clips[0]!.id,
              patch: { gainDb: -9 },
            },
          ],
        },
      },
    ],
  });
  await expect(print).toContainText("stale: its source has changed");
  await print.getByRole("button", { name: "Reopen the source of Rigging print" }).click();
  await expect
    .poll(async () =>
      (await stemzo.state(id)).document.tracks
        .filter((t) => t.name.startsWith("Rigging"))
        .map((t) => [t.name, t.parked]),
    )
    .toEqual([
      ["Rigging", true],
      ["Rigging as it was", false],
      ["Rigging print", true],
    ]);

  // Put on a track of its own; then carried from the shelf under the lanes.
  await list.getByRole("button", { name: "Put Wood block on a new track at the playhead" }).click();
  await expect
    .poll(async () => (await stemzo.state(id)).document.tracks.some((t) => t.name === "Wood block"))
    .toBe(true);
  await stemzo.open(page, id);
  await page.keyboard.press("w");
  const piece = page.getByRole("region", { name: "Shelf" }).getByRole("listitem").filter({ hasText: "Bell buoy" });
  const target = (await head(page, "Water bed").boundingBox())!;
  const lanes = page.getByRole("img", { name: /^Lanes/ });
  const box = (await lanes.boundingBox())!;
  const before = (await stemzo.track(id, "water")).clips.length;
  await piece.dragTo(lanes, { targetPosition: { x: box.width - 60, y: target.y + target.height / 2 - box.y } });
  await expect.poll(async () => (await stemzo.track(id, "water")).clips.length).toBe(before + 1);

  // Taken off: what nothing uses, and nothing else; undone.
  await page.keyboard.press("Control+z");
  await expect.poll(async () => (await stemzo.track(id, "water")).clips.length).toBe(before);
  const loose = await stemzo.post<{ id: string }>(`/api/sessions/${id}/prints`, {
    tracks: ["water"],
    tap: "devices",
    range: { by: "own" },
    placed: "shelf",
    name: "Loose print",
  });
  await stemzo.finished(loose.id);
  await stemzo.open(page, id, "/shelf");
  await expect(list.getByRole("listitem").filter({ hasText: "Loose print" })).toContainText("not used");
  await page.getByRole("button", { name: "Remove unused audio" }).click();
  await expect(list.getByRole("listitem").filter({ hasText: "Loose print" })).toBeHidden();
  await page.keyboard.press("Control+z");
  await expect(list.getByRole("listitem").filter({ hasText: "Loose print" })).toBeVisible();
});
