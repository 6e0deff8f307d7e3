import { mkdtempSync, mkdirSync, rmSync, writeFileSync } from "node:fs";
import { createServer, request as ask, type IncomingMessage, type ServerResponse } from "node:http";
import { createRequire } from "node:module";
import type { AddressInfo } from "node:net";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { gunzipSync } from "node:zlib";
import { afterAll, beforeAll, expect, test } from "vitest";
import headers from "../app/headers.json";

interface StaticFiles {
  load(build: string): void;
  announceFonts(request: IncomingMessage, response: ServerResponse): void;
  answerWithFile(request: IncomingMessage, response: ServerResponse, isNear: boolean): boolean;
}
const { load, announceFonts, answerWithFile } = createRequire(import.meta.url)("./static-files.cjs") as StaticFiles;

const SCRIPT = "console.log(1);\n".repeat(1000);
const FONT = Buffer.from([1, 2, 3, 255]);
const build = mkdtempSync(join(tmpdir(), "stemzo-static-"));
let port = 0;
let isNear = true;
const server = createServer((request, response) => {
  announceFonts(request, response);
  if (!answerWithFile(request, response, isNear)) response.writeHead(404).end();
});

beforeAll(async () => {
  mkdirSync(join(build, "static/chunks"), { recursive: true });
  mkdirSync(join(build, "static/media"));
  writeFileSync(join(build, "secret.js"), "secret");
  writeFileSync(join(build, "static/chunks/a.js"), SCRIPT);
  writeFileSync(join(build, "static/chunks/a.js.map"), "{}");
  writeFileSync(join(build, "static/media/x-latin-wght-normal.1.woff2"), FONT);
  writeFileSync(join(build, "static/media/x-vietnamese-wght-normal.1.woff2"), FONT);
  load(build);
  await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
  ({ port } = server.address() as AddressInfo);
});
afterAll(() => {
  server.close();
  rmSync(build, { recursive: true });
});

/** Without a client that unpacks, or tidies addresses. */
const get = (path: string, asked: Record<string, string> = {}, method = "GET") =>
  new Promise<{ status: number | undefined; headers: IncomingMessage["headers"]; body: Buffer }>((resolve, reject) => {
    const sent = ask({ port, host: "127.0.0.1", path, method, headers: asked }, (response) => {
      const parts: Buffer[] = [];
      response.on("data", (part: Buffer) => parts.push(part));
      response.on("end", () =>
        resolve({ status: response.statusCode, headers: response.headers, body: Buffer.concat(parts) }),
      );
    });
    sent.on("error", reject);
    sent.end();
  });

test("files are as they are on this machine, and packed for others who take that", async () => {
  for (const [near, accepted, packed] of [
    [true, "gzip, deflate, br", false],
    [false, "gzip, deflate, br", true],
    [false, "br", false],
    [false, "", false],
    [false, "gzip", true],
  ] as const) {
    isNear = near;
    const got = await get("/_next/static/chunks/a.js", accepted === "" ? {} : { "accept-encoding": accepted });
    expect(got.status).toBe(200);
    expect(got.headers["content-encoding"]).toBe(packed ? "gzip" : undefined);
    expect(Number(got.headers["content-length"])).toBe(got.body.length);
    expect(got.body.length < SCRIPT.length).toBe(packed);
    expect((packed ? gunzipSync(got.body) : got.body).toString()).toBe(SCRIPT);
    for (const [name, value] of Object.entries(headers)) expect(got.headers[name.toLowerCase()]).toBe(value);
    const head = await get("/_next/static/chunks/a.js", { "accept-encoding": accepted }, "HEAD");
    expect([head.status, head.headers["content-length"], head.body.length]).toEqual([
      200,
      got.headers["content-length"],
      0,
    ]);
  }
  isNear = false;
  const font = await get("/_next/static/media/x-latin-wght-normal.1.woff2", { "accept-encoding": "gzip" });
  expect([font.headers["content-encoding"], font.headers["content-type"], font.body.equals(FONT)]).toEqual([
    undefined,
    "font/woff2",
    true,
  ]);
});

test("nothing else is answered", async () => {
  for (const path of [
    "/_next/static/../secret.js",
    "/_next/static/chunks/../../secret.js",
    "/_next/static/%2e%2e/secret.js",
    "/_next/static/chunks",
    "/_next/static/chunks/a.js.map",
    "/_next/static/__proto__",
    "/",
  ])
    expect((await get(path)).status, path).toBe(404);
  expect((await get("/_next/static/chunks/a.js", {}, "POST")).status).toBe(404);
});

test("a page that is opened is told the fonts of every page; a file is not", async () => {
  const link = (await get("/s/any", { "sec-fetch-dest": "document" })).headers["link"];
  expect(link).toBe(
    "</_next/static/media/x-latin-wght-normal.1.woff2>; rel=preload; as=font; type=font/woff2; crossorigin",
  );
  expect((await get("/_next/static/chunks/a.js", { "sec-fetch-dest": "script" })).headers["link"]).toBeUndefined();
});
