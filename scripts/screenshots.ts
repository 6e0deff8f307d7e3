import { join } from "node:path";
import { chromium } from "@playwright/test";
import type { Page } from "@playwright/test";
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
    await page.goto(session);
    await page.getByLabel("Load of the session").getByText(/0\.\d\d/).waitFor({ timeout: 60_000 });
    await track(page, "Glass pad").click();
    await shoot("bench");
    await page.getByRole("button", { name: "EQ on Bar percussion" }).click();
    await shoot("device");
    await page.keyboard.press("Escape");

    await page.keyboard.press("f");
    await page.getByText("instrument · frozen").waitFor({ timeout: 120_000 });
    await page.getByText(/^was 0\.\d\d$/).waitFor({ timeout: 60_000 });
    await page.keyboard.press("n");
    await shoot("bench-frozen-night");
    await page.keyboard.press("n");

    await page.goto(`${session}/stems`);
    await page.getByRole("button", { name: "Export", exact: true }).click();
    await page.getByRole("link", { name: "see its proof" }).waitFor({ timeout: 180_000 });
    await shoot("stems");
    await page.getByRole("link", { name: "see its proof" }).click();
    await page.getByRole("table").waitFor();
    await shoot("proof");
  } finally {
    await browser.close();
    await stemzo.stop();
  }
}

const track = (page: Page, name: string) => page.getByRole("list", { name: "Tracks" }).getByRole("listitem").filter({ hasText: name }).first();

main().catch((error: unknown) => {
  console.error(error);
  process.exit(1);
});
