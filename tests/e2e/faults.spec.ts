import { existsSync, readFileSync } from "node:fs";
import { join } from "node:path";
import type { Health } from "../../contract/health";
import type { Job } from "../../contract/job";
import { processesOf } from "../trust/processes";
import { expect, few, head, test } from "./stemzo";

test("the database killed during work: edits are kept and saved, and prints go on, without any action", async ({
  page,
  stemzo,
}) => {
  // A release of its own: another test's print of the same pad would be reused at once, and there would be nothing to
  // interrupt.
  const id = await stemzo.demo((d) => ({
    ...d,
    tracks: d.tracks.map((t) =>
      t.id === "pad"
        ? {
            ...t,
            devices: t.devices.map((v) => (v.type === "synth" ? { ...v, params: { ...v.params, releaseS: 1.87 } } : v)),
          }
        : t,
    ),
  }));
  await stemzo.open(page, id);
  await head(page, "Glass pad").click();
  await page.keyboard.press("f");
  await expect(page.getByRole("progressbar", { name: "Freezing" }).first()).toBeAttached();
  const pid = Number(
    readFileSync(join(process.env["STEMZO_DATABASE_FOLDER"]!, "cluster/postmaster.pid"), "utf8").split("\n")[0],
  );
  process.kill(pid, "SIGKILL");
  await page.getByRole("button", { name: "Mute Water bed" }).click();
  await page.getByRole("button", { name: "Mute Rigging" }).click();
  await expect(head(page, "Rigging")).toContainText("muted");

  const muted = async () =>
    (await stemzo.state(id)).document.tracks.filter((t) => t.mute && t.id !== "gulls").map((t) => t.id);
  await expect.poll(() => muted().catch(() => []), { timeout: 60_000 }).toEqual(["water", "rigging"]);
  await expect(head(page, "Glass pad")).toContainText("frozen", { timeout: 120_000 });
  await page.reload();
  await expect(head(page, "Water bed")).toContainText("muted");
  await expect(head(page, "Glass pad")).toContainText("frozen");
});

test("the web server killed during work: the page says so, keeps the edit, saves it, and hears of others again", async ({
  page,
  stemzo,
}) => {
  const id = await stemzo.demo();
  await stemzo.open(page, id);
  process.kill(Number(process.env["STEMZO_WEB_PID"]), "SIGKILL");
  await page.getByRole("button", { name: "Mute Water bed" }).click();
  await expect(page.getByRole("status").filter({ hasText: "not connected" })).toBeVisible();
  await expect(head(page, "Water bed")).toContainText("muted");
  await expect
    .poll(async () => (await stemzo.track(id, "water").catch(() => null))?.mute ?? false, { timeout: 60_000 })
    .toBe(true);
  await stemzo.post(`/api/sessions/${id}/edits`, {
    base: 1,
    steps: [
      {
        id: "elsewhere",
        step: {
          label: "Rename",
          edits: [{ do: "set", in: "tracks", id: "pad", patch: { name: "Renamed elsewhere" } }],
        },
      },
    ],
  });
  await expect(head(page, "Renamed elsewhere")).toBeVisible({ timeout: 30_000 });
  await expect(page.getByRole("status").filter({ hasText: "not connected" })).toHaveCount(0);
});

test("stopped, not ended: render process, web server and database are found at a loss within half a minute, and what was acknowledged is there", async ({
  stemzo,
}) => {
  test.setTimeout(240_000);
  const id = await stemzo.demo((d) => few(d, ["buoy"]));
  const edited = await stemzo.post<{ revision: number }>(`/api/sessions/${id}/edits`, {
    base: 0,
    steps: [
      {
        id: "before",
        step: { label: "Fader", edits: [{ do: "set", in: "tracks", id: "buoy", patch: { faderDb: -7.5 } }] },
      },
    ],
  });
  expect(edited.revision).toBe(1);
  const at = {
    dataRoot: process.env["STEMZO_DATA_ROOT"] ?? "",
    databaseFolder: process.env["STEMZO_DATABASE_FOLDER"] ?? "",
  };
  const [render, web] = [processesOf("render process", at), processesOf("web server", at)];
  const [postmaster = 0] = processesOf("database", at);
  expect([render.length, web.length > 0]).toEqual([1, true]);
  for (const pid of [...render, ...web, postmaster]) process.kill(pid, "SIGSTOP");
  const began = Date.now();
  const health = async () =>
    (await fetch(`${stemzo.address}/api/health`, { signal: AbortSignal.timeout(2000) }).then((r) =>
      r.json(),
    )) as Health;
  // The web server is ended and comes back; then it tells of the others, each time within two seconds.
  await expect
    .poll(
      () =>
        health().then(
          (h) => h.ok,
          () => false,
        ),
      { timeout: 90_000, intervals: [500] },
    )
    .toBe(true);
  expect(Date.now() - began).toBeLessThan(75_000);
  for (const pid of [...render, postmaster]) expect(existsSync(`/proc/${pid}`)).toBe(false);
  expect((await stemzo.track(id, "buoy")).faderDb).toBe(-7.5);
  const { id: job } = await stemzo.post<Job>(`/api/sessions/${id}/freeze`, { tracks: ["buoy"] });
  expect((await stemzo.finished(job)).status).toBe("done");
});

test("code of a page that comes later is asked for again where the server did not answer", async ({ page, stemzo }) => {
  const id = await stemzo.demo();
  let refused = 0;
  // The scripts of the page itself are in its HTML; what is asked for after it answers is refused at first.
  const scripts = "**/_next/static/chunks/*.js";
  const html = await (await fetch(`${stemzo.address}/s/${id}`)).text();
  await page.route(scripts, async (route) => {
    if (html.includes(new URL(route.request().url()).pathname) || refused >= 4) return route.continue();
    refused++;
    return route.abort();
  });
  await stemzo.open(page, id);
  await page.keyboard.press("?");
  await expect(page.getByRole("dialog", { name: "Keys" })).toBeVisible({ timeout: 20_000 });
  expect(refused).toBeGreaterThan(0);
});
