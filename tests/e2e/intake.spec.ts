import type { Page } from "@playwright/test";
import { execFileSync } from "node:child_process";
import { copyFileSync, mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import type { Handoff } from "../../contract/handoff";
import type { Session } from "../../core/session/document";
import { expect, few, test, chooserOf } from "./stemzo";

test.setTimeout(170_000);

let folder: string;
test.beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), "stemzo-intake-e2e-"));
});
test.afterAll(() => rmSync(folder, { recursive: true, force: true }));

/** Gives files to the first page, as a newcomer does. */
async function give(page: Page, address: string, files: readonly string[]): Promise<void> {
  await page.goto(address);
  await expect(page.locator("[data-awake]")).toBeVisible();
  const chooser = await chooserOf(page, () => page.getByRole("button", { name: "Choose files" }).click());
  await chooser.setFiles([...files]);
  await expect(page).toHaveURL(/\/intake$/);
}

async function openNew(page: Page): Promise<string> {
  await page.getByRole("button", { name: "Open as a new session" }).click();
  await expect(page).toHaveURL(/\/s\/[^/]+$/, { timeout: 60_000 });
  await expect(page.locator("[data-awake]")).toBeVisible();
  return page.url().split("/s/")[1] ?? "";
}

const clipsOf = (session: Session): number =>
  session.tracks.reduce((n, t) => n + t.clips.filter((c) => c.kind !== "notes").length, 0);
const notesOf = (session: Session): number => {
  const phrases = new Map(session.phrases.map((p) => [p.id, p.notes.length]));
  return session.tracks.reduce(
    (n, t) => n + t.clips.reduce((k, c) => k + (c.kind === "notes" ? (phrases.get(c.phrase) ?? 0) : 0), 0),
    0,
  );
};

test("a session goes out as every kind of session file, and each opens as a session of its own", async ({
  page,
  stemzo,
}) => {
  const id = await stemzo.demo((d) => few(d, ["buoy", "harp"]));
  await stemzo.open(page, id, "/handoff");
  for (const kind of ["AAF", "AES31 list", "OpenTimelineIO", "DAWproject", "MIDI file", "Stemzo bundle"]) {
    const box = page.getByRole("checkbox", { name: kind, exact: true });
    await box.check();
    await expect(box).toBeChecked();
  }
  await page.getByRole("button", { name: "The session files alone" }).click();
  await expect(page.getByText("6 session files", { exact: false }).first()).toBeVisible({ timeout: 90_000 });
  await expect(page.getByText("proven right").first()).toBeVisible({ timeout: 90_000 });
  const [made] = await stemzo.get<readonly { id: string }[]>(`/api/sessions/${id}/handoffs`);
  const { manifest } = await stemzo.get<Handoff>(`/api/handoffs/${made!.id}`);
  const [download] = await Promise.all([
    page.waitForEvent("download"),
    page.getByRole("link", { name: "Download" }).first().click(),
  ]);
  const zip = join(folder, "package.zip");
  await download.saveAs(zip);
  execFileSync("unzip", ["-q", zip, "-d", folder]);
  for (const facts of manifest.sessionFiles) {
    const inside = (name: string) => join(folder, manifest.folder, name);
    const files = [facts.name, ...facts.beside.filter((b) => b.name.endsWith(".wav")).map((b) => b.name)].map(inside);
    await give(page, stemzo.address, files);
    const kind = { aaf: "AAF", adl: "AES31 list", otio: "OpenTimelineIO", dawproject: "DAWproject" } as const;
    const name = { ...kind, midi: "MIDI file", bundle: "Stemzo bundle" }[facts.kind];
    const way = page.getByRole("region", { name: "Open it as" }).getByRole("button", { name });
    await expect(way).toHaveAttribute("aria-pressed", "true", { timeout: 60_000 });
    await expect(page.getByText("missing")).toHaveCount(0);
    const { document } = await stemzo.state(await openNew(page));
    const told = (await stemzo.state(id)).document;
    if (facts.kind === "bundle") expect(document).toEqual(told);
    else {
      // In an AAF a stereo track with a pan is two mono tracks; opened, it is one again, with its pan.
      const isPanned = (t: Session["tracks"][number]) => (t.kind === "audio" || t.kind === "instrument") && t.pan !== 0;
      const panned = facts.kind === "aaf" ? told.tracks.filter(isPanned) : [];
      const pans = document.tracks.filter(isPanned).map((t) => t.pan);
      if (facts.kind === "aaf") expect(pans).toEqual(panned.map((t) => t.pan));
      const clips = facts.clips - panned.length;
      expect([facts.kind, clipsOf(document), notesOf(document)]).toEqual([facts.kind, clips, facts.notes]);
      // A MIDI file tells a gliding tempo in steps.
      if (facts.kind === "midi" || facts.kind === "dawproject")
        expect([facts.kind, document.tempo[0]?.bpm]).toEqual([facts.kind, told.tempo[0]?.bpm]);
    }
  }
});

test("stems from anywhere are checked in one drop, and handed on mended and proven", async ({ page, stemzo }) => {
  const at = (name: string) => join(folder, name);
  const names = ["Kick", "Bass", "Voice"];
  names.forEach((name, i) =>
    execFileSync("sox", [
      ...["-n", "-D", "-r", "48000", "-b", "24", "-c", "2", at(`${name}.wav`), "synth", "3", "pinknoise", "pinknoise"],
      ...["tremolo", String(1.3 + i), "90", "gain", "-16"],
    ]),
  );
  execFileSync("sox", ["-D", "-m", ...names.flatMap((n) => ["-v", "1", at(`${n}.wav`)]), at("Rough mix.wav")]);
  execFileSync("sox", ["-D", at("Bass.wav"), at("late.wav"), "pad", "777s@0", "trim", "0", "144000s"]);
  copyFileSync(at("late.wav"), at("Bass.wav"));
  execFileSync("sox", ["-D", at("Voice.wav"), at("turned.wav"), "remix", "2", "1"]);
  copyFileSync(at("turned.wav"), at("Voice.wav"));
  execFileSync("zip", ["-q", "-j", at("stems.zip"), ...[...names, "Rough mix"].map((n) => at(`${n}.wav`))]);
  await give(page, stemzo.address, [at("stems.zip")]);
  await expect(page.getByRole("heading", { name: "2 things are wrong" })).toBeVisible({ timeout: 60_000 });
  await expect(page.getByText("Starts 777 samples (16.2 ms) late, held against the mix")).toBeVisible();
  await expect(page.getByText("Left and right swapped")).toBeVisible();
  await page.getByLabel("Tempo, beats to the minute").fill("97.5");
  await page.keyboard.press("Enter");
  await expect(page.getByText("as you state it")).toBeVisible();
  await page.getByLabel("All names as").fill("{number} {name}");
  await page.getByRole("button", { name: "Rename all" }).click();
  await expect(page.getByLabel("Name of Voice.wav in the repaired set")).toHaveValue(/^0[123] Voice$/);
  await page.getByLabel("All names as").fill("{name}");
  await page.getByRole("button", { name: "Rename all" }).click();
  await page.getByLabel("Name of Kick.wav in the repaired set").fill("Kick drum");
  await page.getByRole("textbox", { name: "Name of the repaired set" }).fill("Night stems");
  await page.getByRole("button", { name: "Repair and deliver" }).click();
  await expect(page).toHaveURL(/\/handoff$/, { timeout: 60_000 });
  await expect(page.getByText(/proven right|right, with something/).first()).toBeVisible({ timeout: 90_000 });
  const id = /\/s\/([^/]+)\//.exec(page.url())?.[1] ?? "";
  const { document } = await stemzo.state(id);
  expect(document.name).toBe("Night stems");
  expect(document.tempo).toEqual([{ tick: 0, bpm: 97.5, shape: "hold" }]);
  expect(document.tracks.map((t) => t.name)).toEqual(
    expect.arrayContaining(["Kick drum", "Bass", "Voice", "Rough mix", "Mix"]),
  );
  const bass = document.tracks.find((t) => t.name === "Bass")?.clips[0];
  expect(bass).toMatchObject({ start: 0, offset: 777 });
});

test("what is missing is named, opened as silence, supplied later and undone; what is broken is refused with its reason", async ({
  page,
  stemzo,
}) => {
  const id = await stemzo.demo((d) => ({
    ...few(d, ["buoy"]),
    sheet: {
      ...few(d, ["buoy"]).sheet,
      sessionFiles: [
        { kind: "adl", print: "devices", printDepth: "24", curvedFades: "printed", mutedTracks: "left out" },
      ] as unknown as Session["sheet"]["sessionFiles"],
    },
  }));
  const job = await stemzo.post<{ id: string }>(`/api/sessions/${id}/exports`, { only: "session files" });
  await stemzo.finished(job.id);
  const { manifest, fileName } = await stemzo.get<Handoff>(`/api/handoffs/${job.id}`);
  await stemzo.open(page, id, "/handoff");
  const [download] = await Promise.all([
    page.waitForEvent("download"),
    page.getByRole("link", { name: "Download" }).first().click(),
  ]);
  await download.saveAs(join(folder, fileName));
  execFileSync("unzip", ["-q", "-o", join(folder, fileName), "-d", folder]);
  const [facts] = manifest.sessionFiles;
  const inside = (name: string) => join(folder, manifest.folder, name);
  const media = facts!.beside.filter((b) => b.name.endsWith(".wav")).map((b) => inside(b.name));
  await give(page, stemzo.address, [inside(facts!.name)]);
  const count = media.length;
  const missing = count === 1 ? "1 file is missing" : `${count} files are missing`;
  await expect(page.getByText(missing).first()).toBeVisible({ timeout: 60_000 });
  const opened = await openNew(page);
  await expect(page.getByText(missing)).toBeVisible();
  const chooser = await chooserOf(page, () => page.getByRole("button", { name: "Choose them" }).click());
  await chooser.setFiles(media);
  await expect(page.getByText(missing)).toBeHidden({ timeout: 60_000 });
  expect((await stemzo.state(opened)).document.assets.map((a) => a.origin)).toEqual(media.map(() => "imported"));
  await page.keyboard.press("Control+z");
  await expect(page.getByText(missing)).toBeVisible();

  writeFileSync(join(folder, "broken.aaf"), Buffer.from("d0cf11e0a1b11ae1" + "00".repeat(600), "hex"));
  await give(page, stemzo.address, [join(folder, "broken.aaf")]);
  await expect(page.getByText("There is nothing here that can be opened.")).toBeVisible({ timeout: 60_000 });
  await expect(page.getByText("broken.aaf")).toBeVisible();
});
