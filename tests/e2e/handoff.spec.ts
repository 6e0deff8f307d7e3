import type { APIRequestContext } from "@playwright/test";
import { createHash } from "node:crypto";
import { readFileSync } from "node:fs";
import AxeBuilder from "@axe-core/playwright";
import { Client } from "pg";
import type { Handoff } from "../../contract/handoff";
import type { Job } from "../../contract/job";
import type { Link } from "../../contract/link";
import { openDoor } from "../setup/door";
import type { Stemzo } from "./stemzo";
import { expect, few, test } from "./stemzo";

test.setTimeout(170_000);

const small = (stemzo: Stemzo) => stemzo.demo((d) => few(d, ["buoy", "harp"]));
async function exported(stemzo: Stemzo, id: string): Promise<Handoff> {
  const job = await stemzo.finished((await stemzo.post<Job>(`/api/sessions/${id}/exports`)).id);
  return stemzo.get<Handoff>(`/api/handoffs/${job.id}`);
}
const linked = (stemzo: Stemzo, handoff: string, more: object = {}) =>
  stemzo.post<{ link: Link; path: string }>(`/api/handoffs/${handoff}/links`, { name: "Ines", ...more });
const status = async (request: APIRequestContext, address: string, headers = {}) =>
  (await request.get(address, { headers, maxRedirects: 0 })).status();

test("a sheet is filled for a receiver, exported, and heard, taken and checked by them without an account", async ({
  page,
  stemzo,
  browser,
}) => {
  const id = await small(stemzo);
  await stemzo.open(page, id, "/handoff");
  await page.getByRole("button", { name: /^Remix/ }).click();
  await expect(page.getByRole("button", { name: /^Remix/ })).toHaveAttribute("aria-pressed", "true");
  await expect(page.getByText(/^Bell buoy 84 to 96 bpm.wav/)).toBeVisible();
  await expect
    .poll(async () => (await stemzo.state(id)).document.sheet)
    .toMatchObject({ receiver: "Remix", leadInBars: 2 });
  await page.getByRole("button", { name: "Export", exact: true }).click();
  // Told wherever one is.
  await page.getByRole("link", { name: "Bench" }).click();
  await expect(page.getByText(/^The package is made/)).toBeVisible({ timeout: 90_000 });
  await page.getByRole("link", { name: "Handoff" }).click();
  await expect(page.getByText("proven right", { exact: true })).toBeVisible({ timeout: 90_000 });

  await page.getByPlaceholder("who gets it").fill("Ines");
  await page.getByRole("button", { name: "Make link" }).click();
  const address = await page.getByRole("textbox", { name: "Address of the link" }).inputValue();
  await expect(page.getByText(/^Ines/)).toBeVisible();

  const other = await browser.newContext({ acceptDownloads: true });
  const theirs = await other.newPage();
  await theirs.goto(address);
  await expect(theirs.getByRole("heading", { level: 1 })).toHaveText((await stemzo.state(id)).document.name);
  const { violations } = await new AxeBuilder({ page: theirs }).analyze();
  expect(violations.filter((v) => v.impact === "serious" || v.impact === "critical")).toEqual([]);
  await theirs.getByRole("button", { name: "Play" }).click();
  await expect
    .poll(async () => Number(await theirs.getByRole("slider", { name: "Position" }).getAttribute("aria-valuenow")), {
      timeout: 20_000,
    })
    .toBeGreaterThan(0.5);
  await theirs.getByRole("button", { name: "Hear Bell buoy alone" }).click();
  await expect(theirs.getByRole("button", { name: "Hear Bell buoy alone" })).toHaveAttribute("aria-pressed", "true");
  await theirs.getByRole("button", { name: "Pause" }).click();

  const [handoff] = await stemzo.get<{ id: string }[]>(`/api/sessions/${id}/handoffs`);
  const { manifest } = await stemzo.get<Handoff>(`/api/handoffs/${handoff!.id}`);
  const file = manifest.files.find((f) => f.title === "Bell buoy")!;
  const downloading = theirs.waitForEvent("download");
  await theirs.getByRole("link", { name: `Download ${file.name}`, exact: false }).click();
  const path = await (await downloading).path();
  expect(createHash("sha256").update(readFileSync(path)).digest("hex")).toBe(file.sha256);
  await theirs.getByLabel("Downloaded files").setInputFiles({
    name: "renamed.wav",
    mimeType: "audio/wav",
    buffer: readFileSync(path),
  });
  await expect(theirs.getByText("It is as it was sent.")).toBeVisible();
  const spoilt = readFileSync(path);
  spoilt.writeUInt8(spoilt.readUInt8(spoilt.length - 9) ^ 1, spoilt.length - 9);
  await theirs.getByLabel("Downloaded files").setInputFiles({ name: file.name, mimeType: "audio/wav", buffer: spoilt });
  await expect(theirs.getByText("1 of 1 are not right.")).toBeVisible();
  await theirs.getByRole("button", { name: "Check the files here" }).click();
  const count = manifest.files.length + manifest.papers.length;
  await expect(theirs.getByText(`All ${count} are as they were sent.`)).toBeVisible({ timeout: 30_000 });

  await page.reload();
  await expect(page.getByText(file.name).last()).toBeVisible();
  await page.getByRole("button", { name: "Revoke the link for Ines" }).click();
  await expect(page.getByText(/revoked/).first()).toBeVisible();
  await theirs.reload();
  await expect(theirs.getByText("This link was closed by its sender.")).toBeVisible();
  await other.close();
});

test("a link leads to its own handoff and nowhere else, as often and as long as it was meant to", async ({
  stemzo,
  request,
}) => {
  const { address } = stemzo;
  const id = await small(stemzo);
  const mine = await exported(stemzo, id);
  const other = await exported(stemzo, await small(stemzo));
  const { path, link } = await linked(stemzo, mine.id, { mostDownloads: 2 });
  const base = `${address}/api${path}`;
  const named = (name: string) => `${base}/files/${encodeURIComponent(name)}`;
  const [first] = mine.manifest.files;
  const whole = await request.get(`${base}/package`);
  expect((await whole.body()).length).toBe(mine.bytes);
  // Going on where a line broke is no download of its own.
  const rest = await request.get(`${base}/package`, { headers: { Range: `bytes=${mine.bytes - 1000}-` } });
  expect([rest.status(), (await rest.body()).length]).toEqual([206, 1000]);
  expect(await status(request, `${named(first!.name)}?save=1`)).toBe(200);
  expect(await status(request, `${named(first!.name)}?save=1`)).toBe(403);
  expect(await status(request, `${base}/package`)).toBe(403);
  // Asking for all but the first byte again and again does not get around that.
  const turns: number[] = [];
  for (let turn = 0; turn < 12; turn++) turns.push(await status(request, `${base}/package`, { Range: "bytes=1-" }));
  expect(turns.at(-1)).toBe(403);
  const told = (await stemzo.get<Link[]>(`/api/handoffs/${mine.id}/links`)).find((l) => l.id === link.id);
  expect([told?.downloads, told?.fetches.map((f) => f.what)]).toEqual([2, [first!.name, mine.fileName]]);

  const open = await linked(stemzo, mine.id);
  const openBase = `${address}/api${open.path}`;
  for (const name of [
    "../../etc/passwd",
    "..%2f..%2fmanifest.json",
    "manifest.json",
    `${other.manifest.folder}/${first!.name}`,
    other.id,
    "\u0000",
  ])
    expect([name, await status(request, `${openBase}/files/${encodeURIComponent(name)}`)]).toEqual([name, 404]);
  const delivery = await (await request.get(openBase)).text();
  for (const secret of [id, mine.id, other.id, mine.manifest.files[0]!.fingerprint])
    expect(delivery).not.toContain(secret);

  const database = new Client({ connectionString: process.env["STEMZO_DATABASE_URL"]! });
  await database.connect();
  const { rows } = await database.query<{ secret_sha256: string }>("select secret_sha256 from links where id = $1", [
    open.link.id,
  ]);
  const secret = open.path.split("/").at(-1)!;
  expect(rows[0]!.secret_sha256).toBe(createHash("sha256").update(secret).digest("hex"));
  await database.query("update links set expires_at = now() - interval '1 second' where id = $1", [open.link.id]);
  await database.end();
  expect(await status(request, openBase)).toBe(410);

  const spoken = await linked(stemzo, mine.id, { passphrase: "rope and lamp" });
  const spokenBase = `${address}/api${spoken.path}`;
  expect(await status(request, spokenBase)).toBe(401);
  expect(await status(request, `${spokenBase}/package`)).toBe(401);
  expect((await request.post(`${spokenBase}/enter`, { data: { passphrase: "rope and lump" } })).status()).toBe(401);
  expect((await request.post(`${spokenBase}/enter`, { data: { passphrase: "rope and lamp" } })).status()).toBe(200);
  expect(await status(request, spokenBase)).toBe(200);
  expect((await stemzo.post<Link>(`/api/links/${spoken.link.id}/revoke`)).revokedAt).not.toBeNull();
  expect(await status(request, spokenBase)).toBe(410);

  // Guesses lead nowhere, and soon are not even looked up.
  const found: number[] = [];
  const letters = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789-_";
  for (let guess = 0; guess < 400; guess++) {
    const text = Array.from({ length: 32 }, (_, i) => letters[(guess * 31 + i * i * 7) % 64]).join("");
    found.push(await status(request, `${address}/api/r/${text}`));
  }
  expect(new Set(found)).toEqual(new Set([404, 429]));
  expect(found.at(-1)).toBe(429);
});

test("open to others, nothing but a link is served without the password", async ({ stemzo, playwright, browser }) => {
  const id = await small(stemzo);
  const mine = await exported(stemzo, id);
  const { path } = await linked(stemzo, mine.id);
  const door = await openDoor("lamps over water");
  const stranger = await playwright.request.newContext();
  try {
    const address = `http://127.0.0.1:${door.port}`;
    for (const closed of [
      "/api/sessions",
      `/api/sessions/${id}`,
      `/api/handoffs/${mine.id}/package`,
      `/api/audio/${mine.whole}`,
      "/api/health",
      "/api/openapi.json",
      `/api/sessions/${id}/events?after=0`,
    ])
      expect([closed, await status(stranger, `${address}${closed}`)]).toEqual([closed, 401]);
    for (const page of ["/", `/s/${id}`, `/s/${id}/handoff`])
      expect([page, await status(stranger, `${address}${page}`)]).toEqual([page, 307]);
    expect((await stranger.post(`${address}/api/sessions`, { data: {} })).status()).toBe(401);
    expect(await status(stranger, `${address}/api${path}`)).toBe(200);
    expect(await status(stranger, `${address}/`, { Host: "elsewhere.example" })).toBe(400);
    expect(await status(stranger, `${address}/api${path}`, { Host: "elsewhere.example" })).toBe(400);
    expect(await status(stranger, `${address}/api${path}`, { Host: "studio.example" })).toBe(200);
    const foreign = await stranger.post(`${address}/api/login`, {
      data: { password: "lamps over water" },
      headers: { Origin: "http://elsewhere.example" },
    });
    expect(foreign.status()).toBe(400);

    const context = await browser.newContext();
    const page = await context.newPage();
    await page.goto(`${address}/s/${id}/handoff`);
    await expect(page.getByRole("heading", { name: "Stemzo" })).toBeVisible();
    await page.getByLabel("Password").fill("lamps under water");
    await page.getByRole("button", { name: "Come in" }).click();
    await expect(page.getByText("That is not the password.")).toBeVisible();
    await page.getByLabel("Password").fill("lamps over water");
    await page.getByRole("button", { name: "Come in" }).click();
    await expect(page.getByRole("heading", { name: "Receiver", exact: true })).toBeVisible();
    // What the server drew is seen before keys are answered.
    await expect(page.locator("[data-awake]")).toBeVisible();
    const [cookie] = await context.cookies();
    expect(cookie).toMatchObject({ httpOnly: true, sameSite: "Strict" });
    // A cookie that was forged, or made to last longer, is none.
    for (const made of [`${Date.now() + 1e9}.AAAA`, `9${cookie!.value}`])
      expect(await status(stranger, `${address}/api/sessions`, { Cookie: `stemzo-login=${made}` })).toBe(401);

    // Signing out ends every copy of the cookie and leads to the login page.
    const stolen = { Cookie: `stemzo-login=${cookie!.value}` };
    expect(await status(stranger, `${address}/api/sessions`, stolen)).toBe(200);
    await page.keyboard.press("/");
    await page.getByPlaceholder("What do you want to do?").fill("sign out");
    await page.getByRole("option", { name: /Sign out/ }).click();
    await expect(page.getByLabel("Password")).toBeVisible();
    expect(await status(stranger, `${address}/api/sessions`, stolen)).toBe(401);
    expect(await status(stranger, `${address}/s/${id}`, stolen)).toBe(307);
    await context.close();

    const tries: number[] = [];
    for (let n = 0; n < 14; n++)
      tries.push((await stranger.post(`${address}/api/login`, { data: { password: `guess ${n}` } })).status());
    expect([tries[0], tries.at(-1)]).toEqual([401, 429]);
  } finally {
    door.stop();
    await stranger.dispose();
  }
});
