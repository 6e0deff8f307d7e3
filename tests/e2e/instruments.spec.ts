import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import type { Page } from "@playwright/test";
import { writeMidi } from "midi-file";
import { tinyFont } from "../../core/testing/tiny-font";
import { chooserOf, expect, few, head, test } from "./stemzo";

test.setTimeout(170_000);
const soon = { timeout: 60_000 };

let folder: string;
let font: string;
test.beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), "stemzo-instruments-"));
  font = join(folder, "Lamp Room.sf2");
  writeFileSync(font, tinyFont());
});
test.afterAll(() => rmSync(folder, { recursive: true, force: true }));

/** What earlier tests added belongs to all sessions. */
test.beforeEach(async ({ stemzo, request }) => {
  for (const { id } of await stemzo.get<readonly { readonly id: string }[]>("/api/instruments"))
    await request.post(`${stemzo.address}/api/instruments/${id}/delete`);
});

/** Sixteen channels of four notes each, that ask for a pluck and a reed in turn; channel 10 is the kit's. */
const midi = () =>
  Buffer.from(
    writeMidi({
      header: { format: 1, numTracks: 16, ticksPerBeat: 480 },
      tracks: Array.from({ length: 16 }, (_, channel) => [
        { deltaTime: 0, type: "trackName" as const, text: `Part ${channel + 1}` },
        { deltaTime: 0, type: "programChange" as const, channel, programNumber: channel % 2 === 0 ? 24 : 65 },
        ...[0, 1, 2, 3].flatMap((n) => {
          const noteNumber = channel === 9 ? 36 : 40 + 2 * channel + n;
          return [
            { deltaTime: 0, type: "noteOn" as const, channel, noteNumber, velocity: 60 + 4 * channel },
            { deltaTime: 240, type: "noteOff" as const, channel, noteNumber, velocity: 0 },
          ];
        }),
        { deltaTime: 0, type: "endOfTrack" as const },
      ]),
    }),
  );

const addFont = async (page: Page) => {
  const chooser = await chooserOf(page, () => page.getByRole("button", { name: "Add SoundFonts" }).click());
  await chooser.setFiles([font]);
  await expect(page.getByRole("region", { name: "Lamp Room" })).toBeVisible(soon);
};

test("a SoundFont is added, searched, put on new and selected tracks; its zones are seen, and keys tried", async ({
  page,
  stemzo,
}) => {
  const id = await stemzo.demo((d) => few(d, ["harp"]));
  await stemzo.open(page, id, "/instruments");
  await expect(page.getByText("No instruments yet")).toBeVisible();
  const chooser = await chooserOf(page, () => page.getByRole("button", { name: "Add SoundFonts" }).click());
  const text = join(folder, "words.sf2");
  writeFileSync(text, "no SoundFont");
  await chooser.setFiles([font, text]);
  await expect(page.getByText(/words\.sf2 was left out/)).toBeVisible(soon);
  const presets = page.getByRole("list", { name: "Presets of Lamp Room" }).getByRole("listitem");
  await expect(presets).toHaveCount(3);
  await page.getByLabel("Search instruments").fill("drums");
  await expect(presets).toHaveCount(1);
  await expect(presets.first()).toContainText("Lamp kit");
  await page.getByLabel("Search instruments").fill("");

  await page.getByRole("button", { name: "Add Reed on a new track" }).click();
  const zones = page.getByRole("figure", { name: "Zones of Reed" });
  await expect(zones).toBeVisible(soon);
  await zones.getByRole("button", { name: "C4", exact: true }).click();
  await expect(zones).toContainText(/C4, velocity \d+: 1 of 1 zones/);
  await expect(page.getByText("It cannot be heard")).toBeHidden();
  // By the computer's digits, wherever the focus is in it; they lead to no other screen meanwhile.
  await zones.focus();
  await page.keyboard.press("3");
  await expect(zones).toContainText(/E\d, velocity 102: 1 of 1 zones/);
  await page.keyboard.press("ArrowUp");
  await page.keyboard.press("Shift+Digit1");
  await expect(zones).toContainText(/C♯\d, velocity 102/);
  await expect(page).toHaveURL(/\/instruments$/);

  await page.getByRole("link", { name: "Bench" }).click();
  await head(page, "Plucked line").click();
  await page.getByRole("link", { name: "Instruments" }).click();
  await page.getByRole("button", { name: "Put Pluck on Plucked line" }).click();
  await expect(page.getByRole("figure", { name: "Zones of Pluck" })).toBeVisible(soon);
  const { document } = await stemzo.state(id);
  expect(document.tracks.find((t) => t.id === "harp")?.devices[0]?.type).toBe("sampled");

  await page
    .getByRole("button", { name: "Add Lamp kit on a new track" })
    .dragTo(
      page.getByRole("complementary", { name: "Instrument tracks" }).getByRole("listitem", { name: "Plucked line" }),
    );
  await expect(page.getByRole("figure", { name: "Zones of Lamp kit" })).toBeVisible(soon);
  await page.keyboard.press("/");
  await page.getByPlaceholder("What do you want to do?").fill("pluck lamp");
  await page.getByRole("option", { name: /Put Pluck on Plucked line/ }).click();
  await expect(page.getByRole("figure", { name: "Zones of Pluck" })).toBeVisible(soon);

  await page.getByRole("button", { name: "Remove Lamp Room" }).click();
  await expect(page.getByText("No instruments yet")).toBeVisible(soon);
  await expect(page.getByRole("figure", { name: "Zones of Pluck" })).toBeVisible();
});

test("presets stand in for instruments that are not here, by their names, in one press", async ({ page, stemzo }) => {
  const asked = { bends: [], wheel: [] };
  const id = await stemzo.demo((d) => {
    const some = few(d, ["harp", "horn"]);
    const program = (track: string) =>
      track === "harp"
        ? { ...asked, bank: 0, program: 24, device: "Nylon Room" }
        : track === "horn"
          ? { ...asked, bank: 0, program: 65, device: "Old Reeds" }
          : null;
    return { ...some, tracks: some.tracks.map((t) => ({ ...t, program: program(t.id) })) };
  });
  await stemzo.open(page, id, "/instruments");
  const tracks = page.getByRole("complementary", { name: "Instrument tracks" });
  await expect(tracks).toContainText("Stands in for Nylon Room, which is not here");
  await addFont(page);
  await page.getByRole("button", { name: "Put on 2 tracks", exact: true }).click();
  await expect(page.getByRole("figure", { name: "Zones of Pluck" })).toBeVisible(soon);
  await expect(page.getByRole("figure", { name: "Zones of Reed" })).toBeVisible();
  await expect(tracks).not.toContainText("Stands in for");
});

test("a MIDI file of 16 channels goes from nothing to stems with eight presses at most", async ({ page, stemzo }) => {
  let presses = 0;
  await page.exposeFunction("countPress", () => void presses++);
  await page.addInitScript(() =>
    addEventListener("pointerdown", () => (globalThis as never as { countPress(): void }).countPress(), true),
  );
  const path = join(folder, "Sixteen.mid");
  writeFileSync(path, midi());
  await page.goto(stemzo.address);
  await expect(page.locator("[data-awake]")).toBeVisible();
  const chooser = await chooserOf(page, () => page.getByRole("button", { name: "Choose files" }).click());
  await chooser.setFiles([path]);
  await page.getByRole("button", { name: "Open as a new session" }).click(soon);
  await expect(page).toHaveURL(/\/s\/[^/]+$/, soon);
  const id = page.url().split("/s/")[1] ?? "";
  await page.getByRole("link", { name: "Instruments" }).click();
  await addFont(page);
  await page.getByRole("button", { name: "Put on 16 MIDI tracks" }).click();
  const devices = async () =>
    (await stemzo.state(id)).document.tracks.filter((t) => t.kind === "instrument").map((t) => t.devices[0]?.type);
  await expect.poll(devices, soon).toEqual(Array.from({ length: 16 }, () => "sampled"));
  const { document } = await stemzo.state(id);
  const nameOf = (track: number) =>
    document.instruments.find((i) => i.id === document.tracks[track]?.devices[0]?.instrument)?.name;
  expect([nameOf(0), nameOf(1), nameOf(9)]).toEqual(["Pluck", "Reed", "Lamp kit"]);
  expect(document.instruments.length).toBe(3);
  await page.getByRole("link", { name: "Stems" }).click();
  await page
    .getByRole("button", { name: /^Export/ })
    .first()
    .click();
  const handoffs = () =>
    stemzo.get<readonly { readonly id: string; readonly files: number }[]>(`/api/sessions/${id}/handoffs`);
  await expect.poll(async () => (await handoffs())[0]?.files ?? 0, { timeout: 120_000 }).toBe(17);
  expect(presses).toBeLessThanOrEqual(8);
});
