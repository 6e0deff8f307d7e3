import { execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import type { Page } from "@playwright/test";
import { writeMidi } from "midi-file";
import { makeSession, makeTrack } from "../../core/session/build";
import { expect, head, test } from "./stemzo";

let folder: string;
test.beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), "stemzo-drop-"));
  const sox = (...args: readonly string[]) => execFileSync("sox", [...args], { cwd: folder });
  sox("-R", "-n", "-r", "48000", "-b", "24", "-c", "2", "Winch.wav", "synth", "2", "pinknoise", "gain", "-8");
  sox("-R", "-n", "-r", "44100", "-b", "16", "-c", "1", "Chain locker.flac", "synth", "1", "sine", "440", "gain", "-6");
});
test.afterAll(() => rmSync(folder, { recursive: true, force: true }));

const midi = () =>
  Buffer.from(
    writeMidi({
      header: { format: 1, numTracks: 1, ticksPerBeat: 480 },
      tracks: [
        [
          { deltaTime: 0, type: "trackName", text: "Lantern" },
          { deltaTime: 0, type: "setTempo", microsecondsPerBeat: 750_000 },
          { deltaTime: 0, type: "noteOn", channel: 0, noteNumber: 64, velocity: 90 },
          { deltaTime: 480, type: "noteOff", channel: 0, noteNumber: 64, velocity: 0 },
          { deltaTime: 0, type: "endOfTrack" },
        ],
      ],
    }),
  );

/** Lets files go over the lanes, as a person does who drags them from the system. */
async function drop(
  page: Page,
  files: readonly { readonly name: string; readonly bytes: Buffer }[],
  x: number,
  row: number,
): Promise<void> {
  const lanes = page.getByRole("img", { name: /^Lanes/ });
  const box = (await lanes.boundingBox())!;
  const rowBox = (await page.getByRole("list", { name: "Tracks" }).getByRole("listitem").nth(row).boundingBox())!;
  const data = await page.evaluateHandle(
    (list) => {
      const transfer = new DataTransfer();
      for (const { name, base64 } of list)
        transfer.items.add(new File([Uint8Array.from(atob(base64), (c) => c.charCodeAt(0))], name));
      return transfer;
    },
    files.map((f) => ({ name: f.name, base64: f.bytes.toString("base64") })),
  );
  const where = { dataTransfer: data, clientX: box.x + x, clientY: rowBox.y + rowBox.height / 2 };
  await lanes.dispatchEvent("dragover", where);
  await expect(page.getByRole("status").filter({ hasText: / · \d+\.\d+\.\d+/ })).toBeVisible();
  await lanes.dispatchEvent("drop", where);
}

test("files dropped on the lanes come in: audio converted and placed, MIDI with its tempo, what is no audio said by name; all undone", async ({
  page,
  stemzo,
}) => {
  const id = await stemzo.create(
    makeSession({
      name: "Empty quay",
      tracks: [
        makeTrack({ id: "one", name: "One", kind: "audio" }),
        makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
      ],
    }),
  );
  await stemzo.open(page, id);
  const file = (name: string) => ({ name, bytes: readFileSync(join(folder, name)) });
  await drop(
    page,
    [file("Winch.wav"), file("Chain locker.flac"), { name: "letter.wav", bytes: Buffer.from("Dear all") }],
    2,
    0,
  );
  const dialog = page.getByRole("dialog", { name: "Import 3 files" });
  await expect(dialog.getByRole("radio", { name: /^Where they were let go, bar 1\.1\.000/ })).toBeChecked();
  await dialog.getByRole("button", { name: "Import", exact: true }).click();
  await expect(page.getByText("2 files are in. One was converted to the session's rate.")).toBeVisible({
    timeout: 30_000,
  });
  await expect(page.getByText("One file could not be imported.")).toBeVisible();
  await expect(page.getByText(/letter\.wav: This is not an audio file/)).toBeVisible();
  await expect(head(page, "Chain locker")).toContainText("audio");

  const { document } = await stemzo.state(id);
  expect(
    document.tracks.map((t) => [t.name, t.clips.map((c) => (c.kind === "audio" ? [c.name, c.start, c.frames] : []))]),
  ).toEqual([
    ["One", [["Winch", 0, 96_000]]],
    ["Chain locker", [["Chain locker", 0, 48_000]]],
    ["Mix", []],
  ]);
  // A file at the session's rate is kept byte for byte; the other is measured as what it was: a sine at -6 dBFS, mono.
  const [winch, chain] = document.assets;
  const stored = await page.request.get(`${stemzo.address}/api/audio/${winch!.id}`);
  expect((await stored.body()).equals(readFileSync(join(folder, "Winch.wav")))).toBe(true);
  const facts = await stemzo.get<{ channels: number; rate: number; measures: { peakDb: number } }>(
    `/api/audio/${chain!.id}/facts`,
  );
  expect([facts.channels, facts.rate]).toEqual([1, 48_000]);
  expect(facts.measures.peakDb).toBeCloseTo(-6, 1);

  await page.keyboard.press("Control+z");
  await expect(head(page, "Chain locker")).toBeHidden();
  expect((await stemzo.state(id)).document.tracks.map((t) => t.clips.length)).toEqual([0, 0]);

  // MIDI, into a session that is empty again: it takes the tempo.
  await drop(page, [{ name: "song.mid", bytes: midi() }], 2, 0);
  await expect(page.getByRole("dialog")).toContainText("1 part, 1 note");
  await expect(page.getByRole("checkbox", { name: /Take tempo and meter/ })).toBeChecked();
  await page.keyboard.press("Enter");
  await expect(head(page, "Lantern")).toContainText("instrument");
  await expect.poll(async () => (await stemzo.state(id)).document.tempo).toEqual([{ tick: 0, bpm: 80, shape: "hold" }]);
  expect((await stemzo.state(id)).document.phrases[0]?.notes).toEqual([
    { tick: 0, ticks: 960, pitch: 64, velocity: 90 },
  ]);
});

test("a file that cannot be read at all is refused with the reason, and leaves nothing", async ({ page, stemzo }) => {
  const id = await stemzo.create(
    makeSession({ name: "Empty quay", tracks: [makeTrack({ id: "mix", name: "Mix", kind: "mix" })] }),
  );
  await stemzo.open(page, id);
  await drop(page, [{ name: "photo.jpg", bytes: Buffer.from("ÿØÿà not sound") }], 100, 0);
  await page.getByRole("dialog").getByRole("button", { name: "Import", exact: true }).click();
  await expect(page.getByText('"photo.jpg" cannot be imported.')).toBeVisible({ timeout: 20_000 });
  expect((await stemzo.state(id)).revision).toBe(0);
});
