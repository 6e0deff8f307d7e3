import { execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import type { Handoff } from "../../contract/handoff";
import type { Job } from "../../contract/job";
import { makeSession, makeTrack } from "../../core/session/build";
import type { Locator } from "@playwright/test";
import { expect, test, chooserOf } from "./stemzo";

const FILES = ["Kick.wav", "Strings.wav", "Voice.wav"] as const;
let folder: string;
const at = (name: string) => join(folder, name);

test.beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), "stemzo-own-"));
  FILES.forEach((name, i) =>
    execFileSync("sox", [
      "-R",
      "-n",
      "-r",
      "48000",
      "-b",
      "24",
      "-c",
      "2",
      at(name),
      "synth",
      "2",
      "pinknoise",
      "gain",
      String(-14 - i),
    ]),
  );
});
test.afterAll(() => rmSync(folder, { recursive: true, force: true }));

test("a session made through HTTP with three files of one's own exports three stems, its sheet untouched", async ({
  request,
  stemzo,
}) => {
  const id = await stemzo.create(
    makeSession({ name: "Own", tracks: [makeTrack({ id: "mix", name: "Mix", kind: "mix" })] }),
  );
  const files: { upload: string; name: string }[] = [];
  for (const name of FILES) {
    const sent = await request.post(`${stemzo.address}/api/uploads`, {
      data: readFileSync(at(name)),
      headers: { "Content-Type": "audio/wav" },
    });
    files.push({ upload: ((await sent.json()) as { upload: string }).upload, name });
  }
  const brought = await stemzo.post<Job>(`/api/sessions/${id}/imports`, { files, by: "frame", frame: 0, track: null });
  expect((await stemzo.finished(brought.id)).status).toBe("done");
  const made = await stemzo.finished((await stemzo.post<Job>(`/api/sessions/${id}/exports`)).id);
  expect([made.status, made.result?.kind]).toEqual(["done", "export"]);
  const handoff = made.result?.kind === "export" ? made.result.handoff : "";
  const { manifest } = await stemzo.get<Handoff>(`/api/handoffs/${handoff}`);
  expect(manifest.files.map((f) => f.name)).toEqual([
    "01 Kick.wav",
    "02 Strings.wav",
    "03 Voice.wav",
    "Own reference mix.wav",
  ]);
  expect((await stemzo.state(id)).document.sheet.rows).toEqual([]);
  await expect
    .poll(async () => (await stemzo.get<Handoff>(`/api/handoffs/${handoff}`)).proof?.verdict.mark, { timeout: 60_000 })
    .toBe("right");
  // Proven again when asked, with the same answer.
  const again = await stemzo.finished((await stemzo.post<Job>(`/api/handoffs/${handoff}/prove`)).id);
  expect(again.result).toEqual({ kind: "prove", handoff, mark: "right" });
  // The same revision is the same bytes, whenever it is exported.
  const second = await stemzo.finished((await stemzo.post<Job>(`/api/sessions/${id}/exports`)).id);
  const other = second.result?.kind === "export" ? second.result.handoff : "";
  expect((await stemzo.get<Handoff>(`/api/handoffs/${other}`)).manifest).toEqual(manifest);
  const bytes = async (h: string) => (await request.get(`${stemzo.address}/api/handoffs/${h}/package`)).body();
  expect((await bytes(other)).equals(await bytes(handoff))).toBe(true);
});

test("and so by hand: begin, bring in, look at the stems, export, see that it is right; a MIDI file that cannot be read says why", async ({
  page,
  stemzo,
}) => {
  await page.goto(stemzo.address);
  await expect(page.locator("[data-awake]")).toBeVisible();
  await page.getByRole("button", { name: "New session", exact: true }).click();
  await page.getByRole("button", { name: "Create session" }).click();
  await expect(page).toHaveURL(/\/s\//);
  const id = page.url().split("/s/")[1]!;
  await expect(page.getByText("Drop audio or MIDI files here")).toBeVisible();
  const chooser = await chooserOf(page, () => page.keyboard.press("Control+i"));
  const overlong = Buffer.from("4d546864000000060001000100604d54726b0000000800ff018fffffff78", "hex");
  await chooser.setFiles([
    ...FILES.map((name) => ({ name, mimeType: "audio/wav", buffer: readFileSync(at(name)) })),
    { name: "loop.mid", mimeType: "audio/midi", buffer: overlong },
  ]);
  const dialog = page.getByRole("dialog", { name: "Import 4 files" });
  await expect(dialog.getByText("A length has more than four bytes (at byte 25)")).toBeVisible();
  await dialog.getByRole("radio", { name: /^At the very beginning/ }).click();
  await dialog.getByRole("button", { name: "Import", exact: true }).click();
  await expect(page.getByText("3 files are in.")).toBeVisible({ timeout: 30_000 });
  await page.getByRole("link", { name: "Stems" }).click();
  await expect(page.getByText("It fills itself: a stem for every track that sounds")).toBeVisible();
  await expect(page.getByRole("list", { name: "Stems" }).getByRole("listitem")).toHaveCount(3);
  await page.getByRole("button", { name: "Export", exact: true }).click();
  await page.getByRole("link", { name: "see its proof" }).click({ timeout: 60_000 });
  await expect(page.getByRole("heading", { name: "Right: everything that was promised holds." })).toBeVisible();
  expect((await stemzo.state(id)).document.sheet.rows).toEqual([]);

  // The first change writes the rows down; one press lets the sheet fill itself again.
  await page.getByRole("link", { name: "Stems" }).click();
  await page.getByRole("button", { name: /^Stem 2: Strings/ }).click();
  await page.getByRole("textbox", { name: "Stem 2" }).fill("Bowed");
  await page.keyboard.press("Enter");
  await expect
    .poll(async () => (await stemzo.state(id)).document.sheet.rows.map((r) => r.name))
    .toEqual(["Kick", "Bowed", "Voice"]);
  await page.getByRole("button", { name: "Let the sheet fill itself again" }).click();
  await expect.poll(async () => (await stemzo.state(id)).document.sheet.rows).toEqual([]);
  await expect(page.getByRole("button", { name: /^Stem 2: Strings/ })).toBeVisible();
});

test("from nothing to delivered stems of one's own six files: two ways, both in under two minutes and twelve presses", async ({
  page,
  stemzo,
}) => {
  const six = ["Kick", "Bass", "Keys", "Strings", "Voice", "Air"].map((name) => at(`${name} six.wav`));
  six.forEach((path, i) =>
    execFileSync("sox", [
      ...["-R", "-n", "-r", "48000", "-b", "24", "-c", "2", path, "synth", String(8 + i), "pinknoise"],
      ...["tremolo", String(0.5 + i / 3), "80", "gain", String(-14 - i)],
    ]),
  );
  for (const way of ["handed on as they are", "through a session"] as const) {
    let presses = 0;
    const press = async (target: Locator) => {
      presses++;
      await target.click({ timeout: 60_000 });
    };
    const began = Date.now();
    await page.goto(stemzo.address);
    const chooser = await chooserOf(page, () => press(page.getByRole("button", { name: "Choose files" })));
    await chooser.setFiles(six);
    if (way === "handed on as they are") await press(page.getByRole("button", { name: "Repair and deliver" }));
    else {
      await press(page.getByRole("tab", { name: "How it lines up" }));
      await press(page.getByRole("button", { name: "Open as a new session" }));
      await press(page.getByRole("link", { name: "Stems" }));
      await press(page.getByRole("button", { name: "Export", exact: true }));
      await press(page.getByRole("link", { name: "Handoff" }));
    }
    await expect(page.getByText(/proven right|right, with something/).first()).toBeVisible({ timeout: 90_000 });
    const [download] = await Promise.all([
      page.waitForEvent("download"),
      press(page.getByRole("link", { name: "Download" }).first()),
    ]);
    const seconds = (Date.now() - began) / 1000;
    const zip = join(folder, `${way}.zip`);
    await download.saveAs(zip);
    const listed = execFileSync("unzip", ["-Z1", zip], { encoding: "utf8" }).split("\n");
    for (const path of six) {
      const name = /([^/]+) six\.wav$/.exec(path)?.[1] ?? "";
      expect(listed.some((l) => l.includes(name) && l.endsWith(".wav"))).toBe(true);
    }
    test.info().annotations.push({ type: way, description: `${presses} presses, ${seconds.toFixed(1)} s` });
    console.log(`six files ${way}: ${presses} presses, ${seconds.toFixed(1)} s`);
    expect(presses).toBeLessThanOrEqual(12);
    expect(seconds).toBeLessThan(120);
  }
});

test("under another site's name nothing is read, neither pages nor what they are made of", async ({ stemzo }) => {
  const { port } = new URL(stemzo.address);
  const status = (path: string, host: string) =>
    execFileSync(
      "curl",
      ["-s", "-o", "/dev/null", "-w", "%{http_code}", "-H", `Host: ${host}`, `${stemzo.address}${path}`],
      { encoding: "utf8" },
    );
  for (const path of ["/", "/s/harbour-lamps", "/s/harbour-lamps/stems", "/api/sessions", "/api/health", "/icon.svg"]) {
    expect([path, status(path, "harbour.example"), status(path, `harbour.example:${port}`)]).toEqual([
      path,
      "400",
      "400",
    ]);
    expect([path, status(path, `localhost:${port}`)]).toEqual([path, "200"]);
  }
});
