import { expect, few, test } from "./stemzo";

test("no page breaks its own policy, nor asks whether it may", async ({ page, stemzo }) => {
  const id = await stemzo.demo((d) => few(d, ["buoy"]));
  await page.addInitScript(() => {
    const said: string[] = [];
    Object.assign(globalThis, { said });
    document.addEventListener("securitypolicyviolation", (e) => said.push(`${e.violatedDirective} ${e.blockedURI}`));
  });
  const errors: string[] = [];
  page.on("console", (message) => {
    if (message.type() === "error") errors.push(message.text());
  });
  for (const path of ["/", `/s/${id}`, `/s/${id}/stems`, `/s/${id}/handoff`, "/intake", "/running"]) {
    await page.goto(stemzo.address + path);
    await page.waitForTimeout(1200);
    expect(await page.evaluate(() => (globalThis as unknown as { said: string[] }).said), path).toEqual([]);
  }
  expect(errors).toEqual([]);
});

test("whoever runs it sees what stands, what failed and why, and goes to where it happened", async ({
  page,
  stemzo,
}) => {
  const id = await stemzo.demo((d) => few(d, ["buoy"]));
  await page.goto(`${stemzo.address}/running`);
  await expect(page.getByRole("heading", { name: "All of it runs" })).toBeVisible();
  await expect(page.locator("dl").first()).toContainText(/Database\s*answers/);
  // A file that is no audio fails its import.
  const upload = await fetch(`${stemzo.address}/api/uploads?name=noise.wav`, {
    method: "POST",
    headers: { "content-type": "application/octet-stream" },
    body: "not audio at all",
  });
  const { upload: token } = (await upload.json()) as { upload: string };
  const job = await stemzo.post<{ id: string }>(`/api/sessions/${id}/imports`, {
    files: [{ upload: token, name: "noise.wav" }],
  });
  await expect
    .poll(async () => (await stemzo.get<{ status: string }>(`/api/jobs/${job.id}`)).status, { timeout: 20_000 })
    .toBe("failed");
  const row = page.getByRole("row").filter({ hasText: "noise.wav" });
  await expect(row).toBeVisible({ timeout: 10_000 });
  await row.getByRole("link").click();
  await expect(page).toHaveURL(new RegExp(`/s/${id}`));
});

test("metrics can be read by a machine, and tell the database's own numbers", async ({ request, stemzo }) => {
  await request.get(`${stemzo.address}/api/sessions`);
  const answered = await request.get(`${stemzo.address}/api/metrics`);
  expect(answered.headers()["content-type"]).toContain("version=0.0.4");
  const lines = (await answered.text()).split("\n").filter((line) => line !== "" && !line.startsWith("#"));
  // Prometheus text format: a name, labels, a number.
  for (const line of lines) expect(line).toMatch(/^[a-z_][a-z0-9_]*(\{([a-z_]+="[^"]*",?)*\})? -?[0-9.e+-]+$/i);
  const value = (start: string) =>
    Number(
      lines
        .find((l) => l.startsWith(start))
        ?.split(" ")
        .at(-1),
    );
  expect(value('stemzo_jobs{state="waiting"}')).toBeGreaterThanOrEqual(0);
  expect(value("stemzo_workers ")).toBe(1);
  expect(value("stemzo_store_bytes ")).toBeGreaterThan(1e6);
  expect(value('stemzo_request_seconds_count{method="GET",path="/api/sessions",status="200"}')).toBeGreaterThan(0);
});
