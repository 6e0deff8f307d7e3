import { mkdtempSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { chromium } from "@playwright/test";
import type { Page } from "@playwright/test";
import { writeMidi } from "midi-file";
import type { Job } from "../contract/job";
import { isOver } from "../contract/job-progress";
import { WavWriter } from "../core/formats/wav/write";
import { noise } from "../core/testing/listen";
import { tinyFont } from "../core/testing/tiny-font";
import { FileSink } from "../server/audio/file-bytes";
import { CHECKOUT } from "./build";
import { CHROMIUM } from "./chromium";
import { startDisposable } from "./disposable";

const FOLDER = join(CHECKOUT, "docs/screenshots");

/** Takes the pictures of the README from the demo: one of each main view. */
async function main(): Promise<void> {
  const stemzo = await startDisposable();
  const browser = await chromium.launch(CHROMIUM);
  try {
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    const session = `${stemzo.address}/s/harbour-lamps`;
    const shoot = async (name: string) => {
      await page.waitForLoadState("networkidle").catch(() => undefined);
      await page.screenshot({ path: join(FOLDER, `${name}.png`) });
    };
    const shots: Shots = { page, address: stemzo.address, session, shoot };
    await sessionsAndBench(shots);
    await printing(shots);
    await drawers(shots);
    await past(shots);
    await instruments(shots);
    await delivery(shots);
    await arriving(shots);
  } finally {
    await browser.close();
    await stemzo.stop();
  }
}

interface Shots {
  readonly page: Page;
  readonly address: string;
  /** Of the demo. */
  readonly session: string;
  shoot(name: string): Promise<void>;
}

/** Instruments of our own: what a session plays, and what a MIDI file asks for. */
async function instruments({ page, session, address, shoot }: Shots): Promise<void> {
  const folder = mkdtempSync(join(tmpdir(), "stemzo-pictures-"));
  const [font, midi] = [join(folder, "Lamp Room.sf2"), join(folder, "Quay song.mid")];
  writeFileSync(font, tinyFont());
  writeFileSync(midi, songOfParts());
  await page.goto(`${session}/instruments`);
  const chooser = page.waitForEvent("filechooser");
  await page.getByRole("button", { name: "Add SoundFonts" }).click();
  await (await chooser).setFiles([font]);
  await page.getByRole("button", { name: "Add Pluck on a new track" }).click();
  await page.getByRole("figure", { name: "Zones of Pluck" }).waitFor();
  await page.getByRole("button", { name: "Add Reed on a new track" }).click();
  const zones = page.getByRole("figure", { name: "Zones of Reed" });
  await zones.getByRole("button", { name: "C4", exact: true }).click();
  await shoot("instruments");
  await page.goto(address);
  const files = page.waitForEvent("filechooser");
  await page.getByRole("button", { name: "Choose files" }).click();
  await (await files).setFiles([midi]);
  await page.getByRole("button", { name: "Open as a new session" }).click();
  await page.waitForURL(/\/s\/[^/]+$/);
  await page.getByRole("link", { name: "Instruments" }).click();
  await page.getByRole("button", { name: /^Put on \d+ MIDI tracks$/ }).waitFor();
  await shoot("instruments-midi");
}

/** A MIDI file of five parts that ask for a pluck, a reed and a kit. */
const songOfParts = (): Buffer =>
  Buffer.from(
    writeMidi({
      header: { format: 1, numTracks: 5, ticksPerBeat: 480 },
      tracks: [0, 1, 2, 3, 9].map((channel, part) => [
        { deltaTime: 0, type: "trackName" as const, text: ["Harp", "Oboe", "Harp low", "Horn", "Drums"][part] ?? "" },
        { deltaTime: 0, type: "programChange" as const, channel, programNumber: part % 2 === 0 ? 24 : 65 },
        ...[0, 4, 7, 12].flatMap((n) => [
          { deltaTime: 0, type: "noteOn" as const, channel, noteNumber: channel === 9 ? 36 : 48 + n, velocity: 90 },
          { deltaTime: 480, type: "noteOff" as const, channel, noteNumber: channel === 9 ? 36 : 48 + n, velocity: 0 },
        ]),
        { deltaTime: 0, type: "endOfTrack" as const },
      ]),
    }),
  );

/** The list of sessions, the Bench. */
async function sessionsAndBench({ page, address, session, shoot }: Shots): Promise<void> {
  await page.goto(address);
  await page.getByRole("button", { name: "New session" }).click();
  await shoot("sessions");
  await page.goto(session);
  await page
    .locator("[data-load]")
    .getByText(/0\.\d\d/)
    .waitFor({ timeout: 60_000 });
  await track(page, "Glass pad").click();
  await shoot("bench");
}

/** A slip, the print that it makes, the shelf. */
async function printing({ page, session, shoot }: Shots): Promise<void> {
  await track(page, "Rigging").click();
  await page.keyboard.press("Shift+P");
  const tap = page.getByRole("button", { name: /^Tap of Rigging/ });
  await tap.press("ArrowRight");
  await tap.press("ArrowRight");
  await shoot("print");
  await tap.press("ArrowLeft");
  await tap.press("ArrowLeft");
  await page.keyboard.press("Control+Enter");
  await page.getByText("sounds the same").waitFor({ timeout: 120_000 });
  await page.getByRole("button", { name: /to look at$/ }).click();
  await shoot("printed");
  await page.keyboard.press("Escape");
  await page.goto(`${session}/shelf`);
  await page.getByText("tapped after its devices").waitFor();
  await page.waitForTimeout(1000);
  await shoot("shelf");
  await page.goto(session);
  await page.keyboard.press("Control+z");
  // The notice of the undoing stands in front of what is shown next.
  await passes(page, /^Undone: Print/);
}

/** What opens under the lanes. */
async function drawers({ page, shoot }: Shots): Promise<void> {
  await track(page, "Hand percussion").click();
  await page.keyboard.press("d");
  await page.getByRole("button", { name: /^Pad 2,/ }).click();
  await shoot("kit");
  await page.keyboard.press("d");
  await page.keyboard.press("0");
  await track(page, "Water bed").click();
  await page.keyboard.press("a");
  await page.getByRole("button", { name: /^Point 3 of fader/ }).focus();
  await shoot("automation");
  await page
    .getByRole("list", { name: "Clips" })
    .getByRole("button", { name: /^Plucked/ })
    .first()
    .dispatchEvent("click");
  await page.keyboard.press("e");
  await shoot("notes");
  await page.keyboard.press("e");
  await page.keyboard.press("0");
}

/** The history, and a frozen track by night. */
async function past({ page, shoot }: Shots): Promise<void> {
  await page.keyboard.press("Shift+Y");
  await page.getByRole("textbox", { name: /^Name of the version/ }).fill("Without the gulls");
  await page.keyboard.press("Enter");
  await page.getByRole("region", { name: "Versions" }).waitFor();
  await page.keyboard.press("Escape");
  await track(page, "Gulls").click();
  await page.keyboard.press("m");
  await page.keyboard.press("y");
  await page
    .getByRole("button", { name: /^Compare with now: Without/ })
    .first()
    .click();
  await page.getByRole("region", { name: "Two versions compared" }).getByText("The mix").waitFor({ timeout: 120_000 });
  await shoot("history");
  await page.keyboard.press("Escape");
  await page.keyboard.press("Control+z");
  await track(page, "Glass pad").click();
  await page.keyboard.press("f");
  await page.getByText("instrument · frozen").waitFor({ timeout: 120_000 });
  await track(page, "Glass pad").click();
  await page.keyboard.press("n");
  await shoot("bench-frozen-night");
  await page.keyboard.press("n");
}

/** Stems, their proof, the handoff and what its receiver sees. */
async function delivery({ page, address, session, shoot }: Shots): Promise<void> {
  await page.goto(`${session}/stems`);
  await page.getByRole("button", { name: "Export", exact: true }).click();
  await page.getByRole("link", { name: "see its proof" }).waitFor({ timeout: 180_000 });
  await shoot("stems");
  await page.getByRole("link", { name: "see its proof" }).click();
  await page.getByRole("table").waitFor();
  await page.mouse.move(5, 400);
  await shoot("proof");

  await page.goto(`${session}/handoff`);
  await page.getByText(/^proven|^right, with/).waitFor({ timeout: 180_000 });
  await page.getByPlaceholder("who gets it").fill("Ines, for the mix");
  await page.getByRole("button", { name: "Make link" }).click();
  const link = await page.getByRole("textbox", { name: "Address of the link" }).inputValue();
  await page.getByRole("button", { name: "Revoke the link for Ines, for the mix" }).waitFor();
  await shoot("handoff");
  await page.goto(link);
  await page.getByRole("button", { name: "Play" }).waitFor();
  await shoot("receiver");
  const sheet = await page.getByRole("link", { name: /sheet\.html$/ }).getAttribute("href");
  await page.goto(`${address}${sheet ?? ""}`);
  await shoot("sheet");
}

/** Files that are brought in. */
async function arriving({ page, address, shoot }: Shots): Promise<void> {
  await arrive(page, address, [await sessionFiles(address)]);
  await page.getByRole("button", { name: /^AAF/ }).click();
  await shoot("intake");
  await arrive(page, address, damagedSet());
  await page.getByRole("heading", { name: /wrong$/ }).waitFor({ timeout: 60_000 });
  await shoot("check");
}

/** Gives files to the first page. */
async function arrive(page: Page, address: string, files: readonly string[]): Promise<void> {
  await page.goto(address);
  await page.locator("[data-awake]").waitFor();
  const waited = page.waitForEvent("filechooser");
  // The browser is being told to hand its dialog over: a press before it has heard of that opens the real one.
  await page.waitForTimeout(150);
  await page.getByRole("button", { name: "Choose files" }).click();
  const chooser = await waited;
  await chooser.setFiles([...files]);
  await page.getByRole("region", { name: "Open it as" }).waitFor({ timeout: 60_000 });
}

/** The demo as session files of three kinds in a package; answers with its path. */
async function sessionFiles(address: string): Promise<string> {
  const call = async <T>(path: string, body?: unknown): Promise<T> => {
    const response = await fetch(
      `${address}/api${path}`,
      body === undefined
        ? {}
        : { method: "POST", headers: { "content-type": "application/json" }, body: JSON.stringify(body) },
    );
    return (await response.json()) as T;
  };
  const { revision } = await call<{ revision: number }>("/sessions/harbour-lamps");
  const patch = { sessionFiles: [{ kind: "aaf" }, { kind: "dawproject" }, { kind: "midi" }] };
  const step = { label: "Session files", edits: [{ do: "set sheet", patch }] };
  await call("/sessions/harbour-lamps/edits", { base: revision, steps: [{ id: "session-files", step }] });
  const { id } = await call<Job>("/sessions/harbour-lamps/exports", { only: "session files" });
  for (let job = await call<Job>(`/jobs/${id}`); !isOver(job.status); job = await call<Job>(`/jobs/${id}`))
    await new Promise((resolve) => setTimeout(resolve, 200));
  const path = join(mkdtempSync(join(tmpdir(), "stemzo-pictures-")), "Harbour Lamps.zip");
  writeFileSync(path, Buffer.from(await (await fetch(`${address}/api/handoffs/${id}/package`)).arrayBuffer()));
  return path;
}

/** Stems as they are received: one late, one with its sides swapped, one twice, and a mix. */
function damagedSet(): readonly string[] {
  const folder = mkdtempSync(join(tmpdir(), "stemzo-pictures-"));
  const frames = 12 * 48000;
  const names = ["Foghorn", "Bell buoy", "Glass", "Breath"];
  const sounds = names.map((_, i) => noise(frames, 3 + i, 0.1));
  const sum = (side: "left" | "right") =>
    Float32Array.from({ length: frames }, (_, i) => sounds.reduce((n, s) => n + (s[side][i] ?? 0), 0));
  const late = (side: Float32Array | undefined) =>
    Float32Array.from({ length: frames }, (_, i) => side?.[i - 1234] ?? 0);
  const [foghorn, buoy, glass, breath] = sounds;
  const set = {
    Foghorn: foghorn,
    "Bell buoy": { left: late(buoy?.left), right: late(buoy?.right) },
    Glass: glass && { left: glass.right, right: glass.left },
    Breath: breath,
    "Breath copy": breath,
    "Rough mix": { left: sum("left"), right: sum("right") },
  };
  return Object.entries(set).flatMap(([name, sound]) => {
    if (!sound) return [];
    const path = join(folder, `${name}.wav`);
    const sink = new FileSink(path);
    const format = { rate: 48000, channels: 2, depth: "24" } as const;
    const writer = new WavWriter(sink, { format, bext: null, ditherSeed: null });
    writer.write(sound.left, sound.right, 0, frames);
    writer.finish();
    sink.close();
    return [path];
  });
}

/** Waits until a notice has come and gone. */
async function passes(page: Page, notice: RegExp): Promise<void> {
  await page.getByText(notice).waitFor({ timeout: 30_000 });
  await page.getByText(notice).waitFor({ state: "hidden", timeout: 30_000 });
}

const track = (page: Page, name: string) =>
  page.getByRole("list", { name: "Tracks" }).getByRole("listitem").filter({ hasText: name }).first();

main().catch((error: unknown) => {
  console.error(error);
  process.exit(1);
});
