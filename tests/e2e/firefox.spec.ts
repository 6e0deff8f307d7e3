import { createHash } from "node:crypto";
import type { HandoffSummary } from "../../contract/handoff";
import type { Heard } from "./hear";
import { decodeHeard, heardText, peakOf, recordOutput, RECORDER } from "./hear";
import { openFirefox } from "./firefox";
import { withoutPolicy } from "./plain-proxy";
import { BAR, RATE, light, printOf } from "./printed";
import { expect, test } from "./stemzo";

test("Debian's Firefox draws, plays, freezes and exports, to the same samples and the same bytes", async ({
  page,
  stemzo,
}, info) => {
  // A second browser on two processors: a busy machine takes three minutes.
  test.setTimeout(360_000);
  const id = await stemzo.demo(light);
  const plain = await withoutPolicy(stemzo.address);
  const { browser, stop } = await openFirefox();
  try {
    const fox = await browser.newPage();
    const faults: string[] = [];
    fox.on("pageerror", (error) => faults.push(String(error)));
    await fox.evaluateOnNewDocument(recordOutput, RECORDER);
    await fox.goto(`${plain.address}/s/${id}`);
    await fox.waitForSelector("[data-awake]", { timeout: 60_000 });
    await fox.keyboard.press("Escape");
    await fox.waitForSelector('[aria-label="Playing"][data-ready]', { timeout: 90_000 });
    await fox.screenshot({ path: info.outputPath("firefox.png") });

    // What is heard is the server's print of the mix: the same samples as in Chromium, which is held to it elsewhere.
    await expect
      .poll(() => fox.evaluate(() => document.querySelector("[data-load]")?.textContent ?? ""), { timeout: 90_000 })
      .toMatch(/\d\.\d\d/);
    /** Plays for six seconds; answers with the frames that the machine was too busy to compute in time. */
    const playOnce = async (): Promise<number> => {
      await fox.evaluate(() => void ((globalThis as never as { heard: unknown[] }).heard.length = 0));
      await fox.keyboard.press("Home");
      await fox.keyboard.press(" ");
      await new Promise((r) => setTimeout(r, 6000));
      const missed = await fox.evaluate(() => document.querySelector("[data-missed]")?.getAttribute("data-missed"));
      await fox.keyboard.press(" ");
      return Number(missed);
    };
    for (let tries = 1; (await playOnce()) > 0 && tries < 4; tries++) await new Promise((r) => setTimeout(r, 2500));
    const all: Heard = decodeHeard(await fox.evaluate(heardText));
    const print = await printOf(stemzo, id, info, 4 * BAR);
    const first = print.left.findIndex((x, i) => x !== 0 || print.right[i] !== 0);
    const frames = Math.min(all.left.length - 8192, 4 * RATE);
    expect(frames).toBeGreaterThan(3 * RATE);
    let different = 0;
    for (let i = 0; i < frames; i++)
      if (all.left[i] !== print.left[first + i] || all.right[i] !== print.right[first + i]) different++;
    expect(different).toBe(0);
    expect(peakOf(all, 0, frames)).toBeGreaterThan(0.05);

    // Printing by hand: the first track is frozen.
    const [track] = (await stemzo.state(id)).document.tracks;
    await fox.locator(`ul[aria-label="Tracks"] li, [role="list"][aria-label="Tracks"] [role="listitem"]`).click();
    await fox.keyboard.press("f");
    await expect.poll(async () => (await stemzo.track(id, track?.id ?? "")).frozen, { timeout: 90_000 }).not.toBeNull();

    // The same revision, exported by a press in each of the two.
    const digest = async (since: string | null): Promise<{ readonly id: string; readonly sha256: string }> => {
      let newest: HandoffSummary | undefined;
      await expect
        .poll(
          async () => {
            [newest] = await stemzo.get<HandoffSummary[]>(`/api/sessions/${id}/handoffs`);
            return newest !== undefined && newest.id !== since;
          },
          { timeout: 150_000 },
        )
        .toBe(true);
      const bytes = await (await fetch(`${stemzo.address}/api/handoffs/${newest?.id ?? ""}/package`)).arrayBuffer();
      return { id: newest?.id ?? "", sha256: createHash("sha256").update(Buffer.from(bytes)).digest("hex") };
    };
    await fox.goto(`${plain.address}/s/${id}/stems`);
    await fox.waitForSelector("[data-awake]", { timeout: 60_000 });
    await fox.locator('::-p-aria([name="Export"][role="button"])').click();
    const byFirefox = await digest(null);
    await stemzo.open(page, id, "/stems");
    await page.getByRole("button", { name: "Export", exact: true }).click();
    const byChromium = await digest(byFirefox.id);
    expect(byChromium.sha256).toBe(byFirefox.sha256);
    expect(faults).toEqual([]);
  } finally {
    await stop();
    plain.stop();
  }
});
