import type { Page } from "@playwright/test";
import { execFileSync } from "node:child_process";
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { chooserOf, expect, few, head, slip, test } from "./stemzo";

const done = { timeout: 60_000 };

/** Counts the presses of a mouse on a page, whatever they are on. */
async function countPresses(page: Page): Promise<() => number> {
  let presses = 0;
  await page.exposeFunction("countPress", () => void presses++);
  await page.addInitScript(() =>
    addEventListener("pointerdown", () => (globalThis as never as { countPress(): void }).countPress(), true),
  );
  return () => presses;
}

test("a track of the demo is frozen, committed, consolidated or bounced with three presses at most", async ({
  page,
  stemzo,
}) => {
  const presses = await countPresses(page);
  const begin = async () => {
    const id = await stemzo.demo((d) => few(d, ["buoy", "harp"]));
    await stemzo.open(page, id);
    const before = presses();
    return { id, spent: () => presses() - before };
  };
  const verb = (name: string) => slip(page).getByRole("button", { name: new RegExp(`^${name}`) });

  const frozen = await begin();
  await head(page, "Plucked line").click();
  await verb("Freeze").click();
  await expect.poll(async () => (await stemzo.track(frozen.id, "harp")).frozen !== null, done).toBe(true);
  expect(frozen.spent()).toBeLessThanOrEqual(3);
  await verb("Commit").click();
  await expect.poll(async () => (await stemzo.track(frozen.id, "harp")).parked, done).toBe(true);
  expect(frozen.spent()).toBeLessThanOrEqual(3);

  const consolidated = await begin();
  await head(page, "Bell buoy").click();
  await verb("Consolidate").click();
  await expect.poll(async () => (await stemzo.track(consolidated.id, "buoy")).clips.length, done).toBe(1);
  expect(consolidated.spent()).toBeLessThanOrEqual(3);

  const bounced = await begin();
  await head(page, "Plucked line").click();
  await verb("Bounce").click();
  const tracks = async () => (await stemzo.state(bounced.id)).document.tracks;
  await expect.poll(async () => (await tracks()).some((t) => t.name === "Plucked line bounce"), done).toBe(true);
  expect(bounced.spent()).toBeLessThanOrEqual(3);
  // With its fader and pan in it: the new track has neither.
  const [source, bounce] = ["Plucked line", "Plucked line bounce"].map(async (name) =>
    (await tracks()).find((t) => t.name === name)!,
  );
  expect([(await bounce!).faderDb, (await bounce!).pan, (await source!).parked]).toEqual([0, 0, true]);
});

test("six dropped files become a delivered link with ten presses at most, within a minute", async ({
  page,
  stemzo,
}) => {
  const presses = await countPresses(page);
  const folder = mkdtempSync(join(tmpdir(), "stemzo-presses-"));
  try {
    const files = ["Kick", "Snare", "Bass", "Keys", "Voice", "Room"].map((name, i) => {
      const path = join(folder, `${name}.wav`);
      const voice = [
        "synth",
        "6",
        i % 2 === 0 ? "pinknoise" : "sawtooth",
        "tremolo",
        String(1 + i),
        "80",
        "gain",
        "-18",
      ];
      execFileSync("sox", ["-n", "-R", "-r", "48000", "-b", "24", "-c", "1", path, ...voice]);
      return path;
    });
    await page.goto(stemzo.address);
    await expect(page.locator("[data-awake]")).toBeVisible();
    const began = performance.now();
    const chooser = await chooserOf(page, () => page.getByRole("button", { name: "Choose files" }).click());
    await chooser.setFiles(files);
    await page.getByRole("button", { name: /^(Deliver as they are|Repair and deliver)$/ }).click(done);
    await expect(page).toHaveURL(/\/handoff$/, done);
    await page.getByPlaceholder("who gets it").fill("Ines", done);
    await page.getByRole("button", { name: "Make link" }).click();
    await expect(page.getByRole("textbox", { name: "Address of the link" })).toHaveValue(/\/r\//);
    expect(presses()).toBeLessThanOrEqual(10);
    expect((performance.now() - began) / 1000).toBeLessThan(60);
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
});

test("the first steps of the demo lead to their controls, tick themselves, and close for good", async ({
  page,
  stemzo,
}) => {
  await stemzo.open(page, "harbour-lamps");
  const steps = page.getByRole("region", { name: "First ten minutes" });
  await expect(steps.getByRole("button", { name: "1. Listen" })).toHaveAttribute("aria-current", "step");
  await steps.getByRole("button", { name: "1. Listen" }).click();
  await expect(page.getByRole("button", { name: "Play (Space)" })).toBeFocused();
  await page.keyboard.press("Enter");
  await expect(steps.getByRole("button", { name: "1. Listen, done" })).toBeVisible();
  await page.getByRole("button", { name: "Stop (Space)" }).click();
  await steps.getByRole("button", { name: "2. Freeze" }).click();
  await expect(slip(page).getByRole("button", { name: /^Freeze/ })).toBeFocused();
  await steps.getByRole("button", { name: "4. Export" }).click();
  await expect(page.getByRole("button", { name: "Export", exact: true })).toBeFocused();
  await steps.getByRole("button", { name: "Close the first steps for good" }).click();
  await expect(steps).toHaveCount(0);
  await page.reload();
  await expect(page.locator("[data-awake]")).toBeVisible();
  await expect(steps).toHaveCount(0);
});
