import { execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync, readdirSync, rmSync } from "node:fs";
import { createHash } from "node:crypto";
import { tmpdir } from "node:os";
import { join } from "node:path";
import type { Download, Page } from "@playwright/test";
import type { Handoff, HandoffSummary } from "../../contract/handoff";
import { WavReader } from "../../core/formats/wav/read";
import { residual } from "../../core/proof/residual";
import type { Session } from "../../core/session/document";
import { manifestSchema } from "../../core/delivery/manifest";
import { FileSource } from "../../server/audio/file-bytes";
import type { Stemzo } from "./stemzo";
import { expect, test } from "./stemzo";
import { pass } from "./real-time";

const folders: string[] = [];
test.afterAll(() => {
  for (const f of folders) rmSync(f, { recursive: true, force: true });
});

/** Unpacks a downloaded package with an independent tool and measures what is in it with sox and with our reader. */
async function measure(download: Download, stemzo: Stemzo, handoff: Handoff) {
  const folder = mkdtempSync(join(tmpdir(), "stemzo-zip-"));
  folders.push(folder);
  await download.saveAs(join(folder, "package.zip"));
  execFileSync("unzip", ["-q", "package.zip"], { cwd: folder });
  const inner = join(folder, readdirSync(folder).find((f) => !f.endsWith(".zip")) ?? "");
  const manifest = manifestSchema.parse(JSON.parse(readFileSync(join(inner, "manifest.json"), "utf8")));
  expect(readdirSync(inner).sort()).toEqual(
    [...manifest.files, ...manifest.papers, { name: "manifest.json" }, { name: "SHA256SUMS" }]
      .map((f) => f.name)
      .sort(),
  );
  const sums = execFileSync("sha256sum", ["--strict", "-c", "SHA256SUMS"], { cwd: inner, encoding: "utf8" });
  expect(sums.trim().split("\n").length).toBe(manifest.files.length + manifest.papers.length + 1);
  for (const { name } of manifest.papers.filter((d) => d.role === "sheet"))
    execFileSync("xmllint", ["--noout", name], { cwd: inner });
  for (const file of manifest.files) {
    const path = join(inner, file.name);
    expect(createHash("sha256").update(readFileSync(path)).digest("hex")).toBe(file.sha256);
    expect(execFileSync("soxi", ["-s", path], { encoding: "utf8" }).trim()).toBe(String(manifest.frames));
    const probe = JSON.parse(
      execFileSync("ffprobe", ["-v", "error", "-of", "json", "-show_format", path], { encoding: "utf8" }),
    ) as { format: { tags: Record<string, string> } };
    expect(probe.format.tags["time_reference"] ?? "0").toBe(String(manifest.timeReference));
    const stat = execFileSync("bash", ["-c", `sox "${path}" -n stat 2>&1`], { encoding: "utf8" });
    expect(Number(/Maximum amplitude:\s+([\d.]+)/.exec(stat)?.[1])).toBeGreaterThan(0.01);
  }
  const before = join(folder, "before.wav");
  execFileSync("curl", ["-sf", "-o", before, `${stemzo.address}/api/audio/${handoff.whole}`]);
  const open = (path: string) => WavReader.open(new FileSource(path));
  const sum = residual(
    manifest.files.filter((f) => f.role === "stem").map((f) => ({ audio: open(join(inner, f.name)), side: null })),
    open(before),
    manifest.rate,
  );
  return { manifest, residualDb: sum.peakDb ?? -Infinity };
}

async function exportAndDownload(page: Page, stemzo: Stemzo, id: string) {
  await page.getByRole("button", { name: "Export", exact: true }).click();
  await expect(page.getByRole("progressbar", { name: "Exporting" }).first()).toBeAttached();
  await expect(page.getByRole("progressbar", { name: "Exporting" })).toHaveCount(0, { timeout: 150_000 });
  // The package can be fetched as soon as it is written; its proof follows. The link may still be an earlier export's.
  const newest = async () => (await stemzo.get<HandoffSummary[]>(`/api/sessions/${id}/handoffs`))[0];
  await expect.poll(async () => (await newest())?.mark ?? null, { timeout: 150_000 }).not.toBeNull();
  const latest = await newest();
  await page.getByRole("link", { name: "see its proof" }).click();
  await expect(page.getByRole("heading", { name: "Right: everything that was promised holds." })).toBeVisible();
  const [download] = await Promise.all([
    page.waitForEvent("download"),
    page.getByRole("link", { name: "Download" }).click(),
  ]);
  return { download, handoff: await stemzo.get<Handoff>(`/api/handoffs/${latest!.id}`) };
}

/** The demo without its mistakes, and without the two tracks that are silent in the bars exported here. */
const tidied = (d: Session): Session => ({
  ...d,
  tracks: d.tracks.map((t) => ({
    ...t,
    name: t.name || "Rope coil",
    mute: t.mute || t.id === "harp" || t.id === "bowed",
    devices: t.devices.filter((v) => v.type !== "worn-tape"),
    clips: t.clips.filter((c) => c.id !== "rigging-stray"),
  })),
  sheet: {
    ...d.sheet,
    rows: d.sheet.rows
      .filter((r) => !r.sources.includes("harp") && !r.sources.includes("bowed"))
      .map((r) => (r.sources.includes("rope") ? { ...r, name: "Rope coil" } : r)),
  },
});

test("plan stems by mouse, export, download, measure, see the proof; again at 24 bits; cancel", async ({
  page,
  stemzo,
}) => {
  test.setTimeout(300_000);
  const id = await stemzo.demo(tidied);
  await stemzo.finished((await stemzo.post<{ id: string }>(`/api/sessions/${id}/freeze`, { tracks: ["pad"] })).id);
  await stemzo.open(page, id, "/stems");
  const rows = page.getByRole("list", { name: "Stems" }).getByRole("listitem");
  await expect(rows).toHaveCount(12);
  const order = async () => (await stemzo.state(id)).document.sheet.rows.map((r) => [r.name, r.sources]);
  const drag = async (from: { x: number; y: number }, to: { x: number; y: number }) => {
    await page.mouse.move(from.x, from.y);
    await page.mouse.down();
    await page.mouse.move(from.x + 6, from.y + 6, { steps: 3 });
    await page.mouse.move(to.x, to.y, { steps: 12 });
    // Near an edge the sheet scrolls while something is carried: what it is dropped on is where it comes to rest.
    const scrolled = () => page.locator("[data-sheet]").evaluate((sheet) => sheet.scrollTop);
    for (let last = -1, now = await scrolled(); now !== last; now = await scrolled()) {
      last = now;
      await pass(page, 0.25);
    }
    await page.mouse.move(to.x, to.y + 1);
    await page.mouse.up();
  };
  const middle = async (of: ReturnType<Page["getByRole"]>) => {
    const b = (await of.boundingBox())!;
    return { x: b.x + b.width / 2, y: b.y + b.height / 2 };
  };

  // Combine two tracks into one stem, by dropping one on the other.
  await drag(
    await middle(page.getByRole("button", { name: "Rigging: carry to another stem" })),
    await middle(rows.nth(0)),
  );
  await expect.poll(order).toContainEqual(["Water bed", ["water", "rigging"]]);
  await expect(rows).toHaveCount(11);
  // Leave one out, find it in the tray and in preflight, and put it back from there.
  await drag(
    await middle(page.getByRole("button", { name: "Foghorn bass: carry to another stem" })),
    await middle(page.getByRole("region", { name: "Left out" })),
  );
  await expect(page.getByRole("region", { name: "Preflight" })).toContainText('"Foghorn bass" is in no stem.');
  await page.getByRole("button", { name: "Add it" }).click();
  await expect(page.getByRole("region", { name: "Preflight" })).not.toContainText("is in no stem");
  // Reorder by the handle, rename in place. Dragging to the tray may have scrolled the sheet.
  await page.locator("[data-sheet]").evaluate((sheet) => sheet.scrollTo(0, 0));
  await drag(await middle(page.getByRole("button", { name: "Move Foghorn bass" })), await middle(rows.nth(0)));
  await expect.poll(async () => (await order())[0]).toEqual(["Foghorn bass", ["horn"]]);
  await page.getByRole("button", { name: /^Stem 2: Water bed/ }).click();
  await page.getByRole("textbox", { name: "Stem 2" }).fill("Harbour: water/rigging");
  await page.keyboard.press("Enter");
  await expect(page.getByText("02 Harbour- water-rigging.wav")).toBeVisible();

  // Range, rate and depth.
  await page.getByRole("combobox", { name: "Depth" }).click();
  await page.getByRole("option", { name: "32-bit float" }).click();
  await page.getByRole("combobox", { name: "End of the stems" }).click();
  await page.getByRole("option", { name: "bar", exact: true }).click();
  await page.getByRole("textbox", { name: "To bar" }).fill("9");
  await page.keyboard.press("Enter");
  await page.getByRole("textbox", { name: "From bar" }).fill("5");
  await page.keyboard.press("Enter");
  await expect
    .poll(async () => (await stemzo.state(id)).document.sheet)
    .toMatchObject({ from: 4 * 3840, to: 8 * 3840, depth: "32f", rate: null });
  await expect(page.getByText("0:10.000")).toBeVisible();

  const float = await exportAndDownload(page, stemzo, id);
  const first = await measure(float.download, stemzo, float.handoff);
  expect(first.residualDb).toBeLessThanOrEqual(-120);
  expect(first.manifest).toMatchObject({ depth: "32f", rate: 48000, timeReference: 480_000 });
  expect(first.manifest.files.map((f) => f.title)).toEqual([
    "Foghorn bass",
    "Harbour: water/rigging",
    "Bell buoy",
    "Rope coil",
    "Bar percussion",
    "Hand percussion",
    "Lamp bells",
    "Breath and hum",
    "Glass pad",
    "Hall",
    "Lantern echo",
    "Reference mix",
  ]);
  expect(first.manifest.tempo.length).toBe(3);
  expect(first.manifest.meter[1]).toEqual({ bar: 13, numerator: 5, denominator: 4 });
  expect(float.handoff.proof?.files.every((f) => f.offsetFrames === 0)).toBe(true);
  await expect(
    page.getByRole("heading", { name: /^Sum of the stems against the mix: −1[2-9]\d\.\d dBFS peak|exact/ }),
  ).toBeVisible();

  // The same at 24 bits and another rate.
  await page.getByRole("link", { name: "Stems" }).click();
  await page.getByRole("combobox", { name: "Depth" }).click();
  await page.getByRole("option", { name: "24-bit" }).click();
  await page.getByRole("combobox", { name: "Rate" }).click();
  await page.getByRole("option", { name: /^44.1 kHz/ }).click();
  const whole = await exportAndDownload(page, stemzo, id);
  const second = await measure(whole.download, stemzo, whole.handoff);
  expect(second.residualDb).toBeLessThanOrEqual(-110);
  expect(second.manifest).toMatchObject({ depth: "24", rate: 44100, timeReference: 441_000 });
  // A recording that is the same on both sides is delivered as mono.
  expect(second.manifest.files.find((f) => f.title === "Breath and hum")?.channels).toBe(1);

  // Cancel leaves no export behind.
  await page.getByRole("link", { name: "Stems" }).click();
  const count = (await stemzo.get<unknown[]>(`/api/sessions/${id}/handoffs`)).length;
  await page.getByRole("combobox", { name: "End of the stems" }).click();
  await page.getByRole("option", { name: "the last sound" }).click();
  await page.getByRole("button", { name: "Export", exact: true }).click();
  await page.getByRole("main").getByRole("button", { name: "Cancel", exact: true }).click();
  await expect(page.getByText("Export cancelled. Nothing was kept of it.")).toBeVisible();
  expect((await stemzo.get<unknown[]>(`/api/sessions/${id}/handoffs`)).length).toBe(count);
});

test("the sheet can be worked from the keyboard: combine, take apart, leave out, move", async ({ page, stemzo }) => {
  const seven = ["water", "rigging", "bars", "breath", "pad", "horn", "hall"];
  const id = await stemzo.demo((d) => ({
    ...d,
    sheet: { ...d.sheet, rows: d.sheet.rows.filter((r) => seven.includes(r.sources[0] ?? "")) },
  }));
  await stemzo.open(page, id, "/stems");
  const rows = async () => (await stemzo.state(id)).document.sheet.rows.map((r) => r.sources.join("+"));
  const menu = async (stem: string, ...items: string[]) => {
    await page.getByRole("button", { name: `More for ${stem}` }).focus();
    await page.keyboard.press("Enter");
    for (const item of items) {
      await page.getByRole("menuitem", { name: item, exact: true }).focus();
      await page.keyboard.press("Enter");
    }
  };
  await menu("Hall", "Combine into", "Glass pad");
  await expect.poll(rows).toEqual(["water", "rigging", "bars", "breath", "pad+hall", "horn"]);
  await menu("Glass pad", "Split into its tracks");
  await expect.poll(rows).toEqual(["water", "rigging", "bars", "breath", "pad", "hall", "horn"]);
  await menu("Hall", "Move down");
  await menu("Water bed", "Remove stem");
  await expect.poll(rows).toEqual(["rigging", "bars", "breath", "pad", "horn", "hall"]);
  await page.getByRole("button", { name: "Add Water bed as a stem" }).click();
  await expect.poll(rows).toEqual(["rigging", "bars", "breath", "pad", "horn", "hall", "water"]);
});

test("a session that has nothing exported says what to do", async ({ page, stemzo }) => {
  await stemzo.open(page, await stemzo.demo(), "/proof");
  await expect(page.getByRole("heading", { name: "Nothing to prove yet" })).toBeVisible();
  await page.getByRole("link", { name: "Go to the stem sheet" }).click();
  await expect(page.getByRole("heading", { name: "Stem sheet" })).toBeVisible();
});
