import { execFile } from "node:child_process";
import { mkdtempSync, readFileSync, readdirSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { promisify } from "node:util";
import type { OperationName } from "../../contract/operations";
import { addressOf, operations } from "../../contract/operations";
import { expect, test } from "./stemzo";

const root = join(import.meta.dirname, "../..");

test("the run in docs/http.md works as it is written", async ({ stemzo }) => {
  const script = [...readFileSync(join(root, "docs/http.md"), "utf8").matchAll(/```bash\n([\s\S]*?)```/g)]
    .map((m) => m[1])
    .join("\n");
  const folder = mkdtempSync(join(tmpdir(), "stemzo-http-"));
  try {
    const { stdout } = await promisify(execFile)("bash", ["-c", `set -euo pipefail\n${script}`], {
      cwd: folder,
      env: { ...process.env, STEMZO: stemzo.address },
      maxBuffer: 1 << 24,
    });
    expect(stdout).toContain("01 String.wav: OK");
    expect(stdout).toContain("Two lamps reference mix.wav: OK");
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
});

test("the published description lists every route there is, and no other", async ({ stemzo }) => {
  const routes = readdirSync(join(root, "app/api"), { recursive: true, encoding: "utf8" })
    .filter((path) => path.endsWith("route.ts"))
    .flatMap((path) => {
      const address = `/api/${path.replace(/\/route\.ts$/, "").replaceAll(/\[(\w+)\]/g, (_, name: string) => `{${name}}`)}`;
      return [
        ...readFileSync(join(root, "app/api", path), "utf8").matchAll(/export const (GET|POST|PUT|PATCH|DELETE)\b/g),
      ].map((m) => `${m[1]!.toLowerCase()} ${address}`);
    });
  const listed = Object.keys(operations) as OperationName[];
  expect(
    listed
      .map(addressOf)
      .map((a) => `${a.method.toLowerCase()} ${a.path}`)
      .sort(),
  ).toEqual(routes.sort());
  // Every route is made of the operation of its own method and path.
  for (const path of readdirSync(join(root, "app/api"), { recursive: true, encoding: "utf8" }).filter((p) =>
    p.endsWith("route.ts"),
  ))
    for (const [, exported, name] of readFileSync(join(root, "app/api", path), "utf8").matchAll(
      /export const (\w+) = route\(\s*"([^"]+)"/g,
    ))
      expect(name).toBe(
        `${exported} /api/${path.replace(/\/route\.ts$/, "").replaceAll(/\[(\w+)\]/g, (_, n: string) => `{${n}}`)}`,
      );
  const published = await stemzo.get<{ openapi: string; paths: Record<string, Record<string, object>> }>(
    "/api/openapi.json",
  );
  expect(published.openapi).toBe("3.1.0");
  expect(
    Object.entries(published.paths)
      .flatMap(([path, methods]) => Object.keys(methods).map((m) => `${m} ${path}`))
      .sort(),
  ).toEqual(routes.sort());
});

test("bad requests are answered with what is wrong and where, and change nothing", async ({ request, stemzo }) => {
  const fault = async (path: string, data: string, type = "application/json") => {
    const response = await request.post(`${stemzo.address}${path}`, {
      data: Buffer.from(data),
      headers: { "Content-Type": type },
    });
    return {
      status: response.status(),
      ...(
        (await response.json()) as {
          fault: { what: string; kept: string; todo: string; problems: { where: string; what: string }[] };
        }
      ).fault,
    };
  };
  const before = (await stemzo.get<unknown[]>("/api/sessions")).length;
  expect(await fault("/api/sessions", "{ not json")).toMatchObject({ status: 400, kept: "Nothing was changed." });
  expect(await fault("/api/sessions", "{}")).toMatchObject({ status: 422 });
  expect(await fault("/api/sessions", JSON.stringify({ document: { version: 1, tracks: [] } }))).toMatchObject({
    status: 422,
    what: "The session document cannot be used.",
  });
  expect(
    await fault(
      "/api/sessions/missing/edits",
      JSON.stringify({ base: 0, steps: [{ id: "x", step: { label: "x", edits: [{ do: "set sheet", patch: {} }] } }] }),
    ),
  ).toMatchObject({ status: 404 });
  expect(
    (
      await fault(
        "/api/sessions/harbour-lamps/edits",
        JSON.stringify({ base: 0, steps: [{ id: "x", step: { label: "x", edits: [{ do: "explode" }] } }] }),
      )
    ).problems[0]!.where,
  ).toBe("steps[0].step.edits[0].do");
  expect(
    await fault("/api/sessions/harbour-lamps/freeze", JSON.stringify({ tracks: ["air", "missing"] })),
  ).toMatchObject({
    status: 422,
    problems: [{ where: "Air", what: "only audio and instrument tracks freeze" }, { where: "missing" }],
  });
  expect(await fault("/api/audio", "this is not audio, whatever it calls itself", "audio/wav")).toMatchObject({
    status: 422,
    problems: [{ what: "This is not a WAV file (at byte 0)" }],
  });
  // What no name is, what is deeper than anything, numbers beyond what is counted, and the same step twice.
  const fader = (id: string) => ({
    id,
    step: { label: "Fader", edits: [{ do: "set", in: "tracks", id: "buoy", patch: { faderDb: -3 } }] },
  });
  const edits = "/api/sessions/harbour-lamps/edits";
  const named = (name: string) =>
    `{"base":0,"steps":[{"id":"n","step":{"label":"${name}","edits":[{"do":"set","in":"tracks","id":"buoy","patch":{}}]}}]}`;
  expect(await fault(edits, named("a\\u0000b"))).toMatchObject({
    status: 422,
    problems: [{ where: "steps[0].step.label" }],
  });
  expect(await fault(edits, named("half \\ud83d of one"))).toMatchObject({ status: 422 });
  expect(await fault(edits, "[".repeat(5000) + "]".repeat(5000))).toMatchObject({
    status: 422,
    problems: [{ where: "character 300" }],
  });
  expect(await fault(edits, JSON.stringify({ base: 2 ** 31, steps: [fader("a")] }))).toMatchObject({
    status: 422,
    problems: [{ where: "base" }],
  });
  expect(await fault(edits, JSON.stringify({ base: 0, steps: [fader("a"), fader("a")] }))).toMatchObject({
    status: 422,
    problems: [{ where: "steps[1].id" }],
  });
  for (const path of ["/api/sessions/a%00b", "/api/jobs/%01", "/api/sessions/harbour-lamps/events?after=99999999999"])
    expect([path, [404, 422].includes((await request.get(`${stemzo.address}${path}`)).status())]).toEqual([path, true]);
  // History, and files to be taken away.
  const ofDemo = "/api/sessions/harbour-lamps";
  for (const [path, data, status] of [
    [`${ofDemo}/history/return`, { revision: 0 }, 409],
    [`${ofDemo}/history/return`, { revision: 3_000_000_000 }, 422],
    [`${ofDemo}/history/return`, { revision: 7 }, 404],
    [`${ofDemo}/history/versions`, { revision: 0, name: "x".repeat(121) }, 422],
    [`${ofDemo}/history/versions`, { revision: -1, name: "x" }, 422],
    [`${ofDemo}/history/compare`, { earlier: 0, later: 99 }, 404],
    [`${ofDemo}/saved`, { asset: "0".repeat(64), name: "x" }, 422],
    ["/api/sessions/missing/history/return", { revision: 0 }, 404],
  ] as const)
    expect([path, (await fault(path, JSON.stringify(data))).status]).toEqual([path, status]);
  for (const [path, status] of [
    [`${ofDemo}/history/abc`, 404],
    [`${ofDemo}/history/99`, 404],
    [`${ofDemo}/history?limit=0`, 422],
    [`${ofDemo}/history?before=99999999999`, 422],
    ["/api/sessions/missing/history", 404],
    ["/api/sessions/missing/sketch", 404],
    [`/api/jobs/${crypto.randomUUID()}/file`, 404],
  ] as const)
    expect([path, (await request.get(`${stemzo.address}${path}`)).status()]).toEqual([path, status]);
  expect((await stemzo.get<unknown[]>("/api/sessions")).length).toBe(before);
  expect((await stemzo.state("harbour-lamps")).revision).toBe(0);
  expect(
    (
      await request.post(`${stemzo.address}/api/sessions/harbour-lamps/undo`, {
        headers: { Origin: "http://elsewhere.example" },
      })
    ).status(),
  ).toBe(400);
  expect((await request.get(`${stemzo.address}/api/audio/${"0".repeat(64)}`)).status()).toBe(404);
  expect((await request.get(`${stemzo.address}/s/missing`)).status()).toBe(404);
});

test("audio is served in ranges, and safety headers are set", async ({ request, stemzo }) => {
  const { document } = await stemzo.state("harbour-lamps");
  const path = `${stemzo.address}/api/audio/${document.assets[0]!.id}`;
  const part = await request.get(path, { headers: { Range: "bytes=0-3" } });
  expect([part.status(), (await part.body()).toString()]).toEqual([206, "RIFF"]);
  expect(part.headers()["content-range"]).toMatch(/^bytes 0-3\/\d+$/);
  expect((await request.get(path, { headers: { Range: "bytes=99999999999-" } })).status()).toBe(416);
  const page = await request.get(stemzo.address);
  expect(page.headers()).toMatchObject({
    "cross-origin-opener-policy": "same-origin",
    "cross-origin-embedder-policy": "require-corp",
    "x-content-type-options": "nosniff",
  });
  expect(page.headers()["content-security-policy"]).toContain("default-src 'self'");
  const [script = ""] = /\/_next\/static\/chunks\/[^"\\]+\.js/.exec(await page.text()) ?? [];
  const file = await request.get(stemzo.address + script);
  expect([file.status(), file.headers()["cache-control"]]).toEqual([200, "public, max-age=31536000, immutable"]);
  for (const name of ["cross-origin-embedder-policy", "content-security-policy", "x-content-type-options"])
    expect(file.headers()[name]).toBe(page.headers()[name]);
  expect((await request.get(`${stemzo.address}/_next/static/chunks/missing.js`)).status()).toBe(404);
});

test("no page carries the schemas that the server holds everything to", async ({ stemzo }) => {
  const id = await stemzo.demo();
  for (const path of ["/", `/s/${id}`, `/s/${id}/stems`, `/s/${id}/handoff`, "/intake"]) {
    const html = await (await fetch(`${stemzo.address}${path}`)).text();
    const scripts = [...new Set(html.match(/\/_next\/static\/chunks\/[\w.-]+\.js/g))];
    expect(scripts.length, path).toBeGreaterThan(5);
    for (const script of scripts)
      expect(await (await fetch(`${stemzo.address}${script}`)).text(), `${path} ${script}`).not.toContain(
        "unrecognized_keys",
      );
  }
});
