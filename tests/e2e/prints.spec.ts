import type { Page } from "@playwright/test";
import type { PrintRecord } from "../../contract/print";
import type { AudioClip, Session } from "../../core/session/document";
import { clipSpan } from "../../core/session/clips";
import { tempoMap } from "../../core/time/tempo";
import { choose, expect, few, head, slip, test } from "./stemzo";
import type { Stemzo } from "./stemzo";

const done = { timeout: 60_000 };

/** The demo without what takes long to compute: what is tested here is not the synth. */
const light = (d: Session): Session => ({
  ...d,
  tracks: d.tracks.map((t) =>
    t.name === "Glass pad" || t.name === "Lamp bells" || t.name === "Bowed strings" ? { ...t, parked: true } : t,
  ),
});

const undoAll = async (page: Page, stemzo: Stemzo, id: string) => {
  for (let i = 0; i < 20 && (await stemzo.state(id)).undo !== null; i++) {
    const { revision } = await stemzo.state(id);
    await page.keyboard.press("Control+z");
    await expect.poll(async () => (await stemzo.state(id)).revision).toBe(revision + 1);
  }
};

test("a print after the devices: the sentence, what it bakes, the new track, its measures, the check that it sounds the same, its lineage; undone", async ({
  page,
  stemzo,
}) => {
  const id = await stemzo.demo(light);
  const before = (await stemzo.state(id)).document;
  await stemzo.open(page, id);
  await head(page, "Plucked line").click();
  await page.keyboard.press("Shift+P");
  await expect(slip(page)).toContainText(
    "Print Plucked line from the start to the last sound, tapped after its devices",
  );
  await expect(slip(page)).toContainText("String · EQ");
  await page.keyboard.press("Control+Enter");
  await expect(head(page, "Plucked line print")).toContainText("audio · printed", done);
  const { document } = await stemzo.state(id);
  const at = document.tracks.findIndex((t) => t.name === "Plucked line");
  const [source, print] = [document.tracks[at]!, document.tracks[at + 1]!];
  expect([
    source.parked,
    print.name,
    print.devices.length,
    print.faderDb,
    print.pan,
    print.output,
    print.sends.map((s) => [s.to, s.gainDb]),
  ]).toEqual([
    true,
    "Plucked line print",
    0,
    source.faderDb,
    source.pan,
    source.output,
    source.sends.map((s) => [s.to, s.gainDb]),
  ]);
  await expect(slip(page)).toContainText(
    /Last print: Plucked line print 1:\d\d\.\d+, tail \d\.\d s, peak −\d+\.\d dBFS/,
  );
  await expect(slip(page)).toContainText(/sounds the same: residual (none|−\d{3} dBFS)/, done);

  const [record] = await stemzo.get<readonly PrintRecord[]>(`/api/sessions/${id}/prints`);
  expect(record).toMatchObject({
    name: "Plucked line print",
    sources: ["Plucked line"],
    checked: true,
    revisionBefore: 0,
    revisionAfter: 1,
  });
  const facts = await stemzo.get<{ rate: number; depth: string }>(`/api/audio/${record!.asset}/facts`);
  expect([facts.rate, facts.depth]).toEqual([48_000, "32f"]);
  await undoAll(page, stemzo, id);
  expect((await stemzo.state(id)).document).toEqual(before);
});

test("the tap is dragged along the path, the part up to it is inked, and the print keeps what lies behind it", async ({
  page,
  stemzo,
}) => {
  const id = await stemzo.demo(light);
  await stemzo.open(page, id);
  await head(page, "Rigging").click();
  const tap = page.getByRole("button", { name: /^Tap of Rigging/ });
  await expect(tap).toHaveAttribute("aria-label", /after its devices/);
  const box = (await tap.boundingBox())!;
  await page.mouse.move(box.x + 12, box.y + 12);
  await page.mouse.down();
  await page.mouse.move(box.x + 90, box.y + 12, { steps: 4 });
  await page.mouse.move(box.x + 150, box.y + 12, { steps: 4 });
  await page.mouse.up();
  await expect(tap).toHaveAttribute("aria-label", /after its fader/);
  await expect(slip(page)).toContainText("fader, pan and mute");
  // A stray clip makes it long; it says so, and ends before it.
  await expect(slip(page)).toContainText("lies far behind everything else");
  await slip(page).getByRole("button", { name: "End before it" }).click();
  await choose(page, "Afterwards", "keep the source live");
  await page.keyboard.press("Control+Enter");
  await expect(head(page, "Rigging print")).toContainText("muted", done);
  const print = (await stemzo.state(id)).document.tracks.find((t) => t.name === "Rigging print")!;
  expect([print.faderDb, print.pan, print.mute, print.automation.length]).toEqual([0, 0, true, 0]);
  await tap.focus();
  await page.keyboard.press("ArrowRight");
  await expect(tap).toHaveAttribute("aria-label", /after its groups/);
  await expect(slip(page)).toContainText("Quay with its fader");
});

test("a print is tapped between two devices, in several cuts, with a tail of seconds and a name of chips; the mix before its chain", async ({
  page,
  stemzo,
}) => {
  const id = await stemzo.demo((d) => few(d, ["lamps"]));
  await stemzo.open(page, id);
  await head(page, "Lamp bells").click();
  await page.keyboard.press("Shift+P");
  const tap = page.getByRole("button", { name: /^Tap of Lamp bells/ });
  await tap.focus();
  await page.keyboard.press("ArrowLeft");
  await expect(tap).toHaveAttribute("aria-label", /before its Tremolo/);
  await expect(slip(page)).toContainText("FM · Chorus");
  await choose(page, "Tail", /with a tail of seconds/);
  await slip(page).getByRole("textbox", { name: "Length of the tail in seconds" }).fill("1.5");
  await page.keyboard.press("Enter");
  await slip(page).getByRole("button", { name: "Add to the name" }).click();
  await page.getByRole("menuitem", { name: "tempo" }).click();
  await slip(page).getByRole("button", { name: "Other cuts" }).click();
  await page.getByRole("checkbox", { name: "after its fader" }).click();
  await page.keyboard.press("Escape");
  await page.keyboard.press("Control+Enter");
  await expect(head(page, "Lamp bells print 96 bpm")).toBeVisible(done);
  const { document } = await stemzo.state(id);
  const source = document.tracks.find((t) => t.id === "lamps")!;
  const made = document.tracks.find((t) => t.name === "Lamp bells print 96 bpm")!;
  expect(made.devices.map((d) => d.type)).toEqual(source.devices.slice(2).map((d) => d.type));
  const named = (name: string) => document.assets.find((a) => a.name === name)!;
  const tempo = tempoMap(document.tempo, document.rate);
  const end = Math.max(...source.clips.map((c) => clipSpan(c, tempo).to));
  expect(named("Lamp bells print 96 bpm").frames).toBe(end + 1.5 * document.rate);
  expect(named("Lamp bells print 96 bpm channel").frames).toBe(end + 1.5 * document.rate);

  await head(page, "Mix").click();
  await choose(page, "Tap", /before the mix's chain/);
  await choose(page, "Tail", "without a tail");
  await expect(slip(page)).toContainText("everything that runs into the mix");
  await choose(page, "Placed", /the shelf only/);
  await page.keyboard.press("Control+Enter");
  await expect
    .poll(async () => (await stemzo.state(id)).document.assets.some((a) => a.name.startsWith("Mix print")), done)
    .toBe(true);
  // The whole mix has a key of its own.
  await page.keyboard.press("Control+Shift+Enter");
  await expect
    .poll(async () => (await stemzo.state(id)).document.assets.some((a) => a.name === `${document.name} mix`), done)
    .toBe(true);
});

test("clips are consolidated by one key, several tracks are printed together, and the last print is done again on something else", async ({
  page,
  stemzo,
}) => {
  const id = await stemzo.demo(light);
  await stemzo.open(page, id);
  const rigging = async () => (await stemzo.track(id, "rigging")).clips as readonly AudioClip[];
  const before = await rigging();
  await page
    .getByRole("list", { name: "Clips" })
    .getByRole("button", { name: /^Halyards/ })
    .nth(0)
    .dispatchEvent("click");
  await head(page, "Water bed").click();
  await page.keyboard.press("o");
  await expect.poll(async () => (await stemzo.track(id, "water")).clips.length, done).toBe(1);
  await expect(slip(page)).toContainText(/sounds the same/, done);
  expect((await stemzo.track(id, "water")).devices.length).toBe(2);

  await head(page, "Rigging").click();
  await head(page, "Bell buoy").click({ modifiers: ["Control"] });
  await page.keyboard.press("Shift+P");
  await choose(page, "Together", /^one print of all/);
  await choose(page, "Tap", /^after its fader/);
  await choose(page, "Range", /^its first clip/);
  await choose(page, "Placed", /^the shelf only/);
  await slip(page)
    .getByRole("button", { name: /^Name of the print/ })
    .click();
  await page.getByRole("textbox", { name: "Name of the print" }).fill("Ropes and bell");
  await page.keyboard.press("Enter");
  await page.keyboard.press("Control+Enter");
  await expect(slip(page)).toContainText("Last print: Ropes and bell", done);
  const { document } = await stemzo.state(id);
  expect(document.assets.at(-1)).toMatchObject({ name: "Ropes and bell", origin: "printed" });
  expect(await rigging()).toEqual(before);

  // Again, on another two: one key, no dialog. What was said stays said.
  await head(page, "Bell buoy").click();
  await head(page, "Breath and hum").click({ modifiers: ["Control"] });
  const count = document.assets.length;
  await page.keyboard.press("p");
  await expect.poll(async () => (await stemzo.state(id)).document.assets.length, done).toBe(count + 1);
});

test("a silent print fails with the reason, its fix is at hand; a print can be cancelled; the mix is bounced to the shelf", async ({
  page,
  stemzo,
}) => {
  const id = await stemzo.demo((d) => light(d));
  await stemzo.open(page, id);
  await head(page, "Gulls").click();
  await page.keyboard.press("Shift+P");
  await choose(page, "Tap", /^after its fader/);
  await expect(slip(page)).toContainText("Gulls is muted: its print would be silent.");
  await page.keyboard.press("Control+Enter");
  await expect(page.getByText('The print of "Gulls print" is silent')).toBeVisible(done);
  expect((await stemzo.state(id)).revision).toBe(0);
  await slip(page).getByRole("button", { name: "Unmute it" }).click();
  await expect(slip(page)).not.toContainText("is muted");

  await head(page, "Mix").click();
  await expect(slip(page)).toContainText("tapped at the end of the mix");
  await expect(slip(page)).toContainText("The mix chain is printed into it.");
  await choose(page, "Placed", /^the shelf only/);
  const { revision } = await stemzo.state(id);
  await page.keyboard.press("Control+Enter");
  await slip(page).getByRole("button", { name: "Cancel" }).click();
  await expect(page.getByText("Print cancelled. The session is as it was.")).toBeVisible(done);
  expect((await stemzo.state(id)).revision).toBe(revision);
  await page.keyboard.press("Control+Enter");
  await expect(slip(page)).toContainText("Last print: Mix print", done);
  const mix = (await stemzo.state(id)).document.assets.at(-1)!;
  const facts = await stemzo.get<{ measures: { truePeakDb: number; lufs: number } }>(`/api/audio/${mix.id}/facts`);
  expect(facts.measures.truePeakDb).toBeLessThan(-0.5);
});
