import { mkdtempSync, readdirSync, readlinkSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, test, vi } from "vitest";
import { z } from "zod";
import { notFound } from "../fault";
import { log } from "../log";
import { countedText } from "./metrics";
import { answer } from "./answer";
import { attachment, fileAnswer } from "./file-answer";
import { bodyStream, limitedText, parseBody } from "./body";

let folder: string;
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), "stemzo-http-"));
  writeFileSync(join(folder, "ten"), "0123456789");
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const call = (handler: ReturnType<typeof answer>, headers: Record<string, string> = {}, body?: string) =>
  handler(
    new Request("http://127.0.0.1:4870/x", {
      method: body === undefined ? "GET" : "POST",
      headers: { host: "127.0.0.1:4870", ...headers },
      ...(body === undefined ? {} : { body }),
    }),
    { params: Promise.resolve({}) },
  );

const metricsOf = async (name: string) =>
  (await countedText())
    .split("\n")
    .filter((line) => line.startsWith(name))
    .join("\n");

describe("answers", () => {
  test("a refusal keeps its status and its three sentences; anything else gives nothing away", async () => {
    const refused = await call(
      answer(async () => {
        throw notFound("such lamp");
      }),
    );
    expect([refused.status, ((await refused.json()) as { fault: { what: string } }).fault.what]).toEqual([
      404,
      "There is no such lamp.",
    ]);
    const broken = await call(
      answer(async () => {
        throw new Error("password is hunter2");
      }),
    );
    expect(broken.status).toBe(500);
    expect(await broken.text()).not.toContain("hunter2");
  });

  test("every request leaves a line under the id of its answer, and no secret in it", async () => {
    const said = vi.spyOn(log, "info").mockImplementation(() => undefined);
    try {
      const handler = answer(async () => Response.json({}, { status: 201 }));
      const request = new Request("http://127.0.0.1:4870/api/r/hush%20hush/files/7", {
        headers: { host: "127.0.0.1:4870" },
      });
      const answered = await handler(request, { params: Promise.resolve({ secret: "hush hush", name: "7" }) });
      const [line] = said.mock.calls[0] as unknown as [Record<string, unknown>];
      expect(line).toMatchObject({ method: "GET", path: "/api/r/{secret}/files/{name}", name: "7", status: 201 });
      expect(line["request"]).toBe(answered.headers.get("X-Request-Id"));
      expect(JSON.stringify(line)).not.toContain("hush");
      expect(await metricsOf("stemzo_request_seconds_count")).toContain(
        'path="/api/r/{secret}/files/{name}",status="201"',
      );
    } finally {
      said.mockRestore();
    }
  });

  test.each([
    Object.assign(new Error("no space left"), { code: "ENOSPC" }),
    new Error("failed query", { cause: Object.assign(new Error("could not extend file"), { code: "53100" }) }),
  ])("a full disk is told as one, wherever it was met: %s", async (error) => {
    const handler = answer(async () => {
      throw error;
    });
    const full = await call(handler);
    expect(full.status).toBe(507);
    expect(((await full.json()) as { fault: { what: string } }).fault.what).toBe("The disk is full.");
  });

  test("an answer whose headers are sealed gets the id as well", async () => {
    const answered = await call(answer(async () => Response.redirect("http://127.0.0.1:4870/login")));
    expect(answered.status).toBe(302);
    expect(answered.headers.get("X-Request-Id")).toMatch(/^[0-9a-f-]{36}$/);
    expect(answered.headers.get("Location")).toBe("http://127.0.0.1:4870/login");
  });

  test.each([
    [{ host: "evil.example" }, 400],
    [{ origin: "http://evil.example" }, 400],
    [{ origin: "http://127.0.0.1:1" }, 400],
    [{ origin: "http://127.0.0.1:4870" }, 200],
    [{ host: "localhost:4870" }, 200],
    [{ host: "[::1]:4870" }, 200],
  ])("%o is answered with %d", async (headers, status) => {
    expect(
      (
        await call(
          answer(async () => new Response("ok")),
          headers,
        )
      ).status,
    ).toBe(status);
  });

  test("a body is checked against its schema, and the place of a fault is named", async () => {
    const handler = answer(async (request) =>
      Response.json(parseBody(await limitedText(request, 1000), z.strictObject({ list: z.array(z.number()) }))),
    );
    expect(await (await call(handler, {}, '{"list": [1, 2]}')).json()).toEqual({ list: [1, 2] });
    const wrong = await call(handler, {}, '{"list": [1, "two"]}');
    expect([
      wrong.status,
      ((await wrong.json()) as { fault: { problems: { where: string }[] } }).fault.problems[0]!.where,
    ]).toEqual([422, "list[1]"]);
    expect((await call(handler, {}, "[1, 2")).status).toBe(400);
  });

  test.each([
    ["refused as too long", 413, (request: Request) => limitedText(request, 1000)],
    ["refused unseen", 404, () => Promise.reject(notFound("such lamp"))],
    [
      "taken and not looked into",
      404,
      (request: Request) => Promise.reject(bodyStream(request) && notFound("such lamp")),
    ],
    ["not needed", 200, () => Promise.resolve("")],
  ] as const)(
    "a body that is %s is read to its end all the same, so that nothing waits behind it",
    async (_, status, work) => {
      let [asked, isOver] = [0, false];
      const body = new ReadableStream<Uint8Array>({
        pull(controller) {
          if (asked++ < 100) return controller.enqueue(new Uint8Array(70_000));
          isOver = true;
          controller.close();
        },
      });
      const response = await answer(async (request) => Response.json(await work(request)))(
        new Request("http://127.0.0.1:4870/x", {
          ...{ method: "POST", headers: { host: "127.0.0.1:4870" }, body },
          ...{ duplex: "half" },
        }),
        { params: Promise.resolve({}) },
      );
      expect(response.status).toBe(status);
      await vi.waitFor(() => expect(isOver).toBe(true));
    },
  );
});

describe("files", () => {
  const get = (range?: string) =>
    fileAnswer(
      new Request("http://127.0.0.1/x", range === undefined ? {} : { headers: { range } }),
      join(folder, "ten"),
      { "Content-Type": "text/plain" },
    );

  test("are open only while they are read: not unread, not left in the middle, not when the request is given up", async () => {
    const path = join(folder, "large");
    writeFileSync(path, Buffer.alloc(3 << 20, 7));
    const isOpen = () =>
      readdirSync("/proc/self/fd").some((fd) => {
        try {
          return readlinkSync(`/proc/self/fd/${fd}`) === path;
        } catch {
          return false;
        }
      });
    const ask = (signal = new AbortController().signal) =>
      fileAnswer(new Request("http://127.0.0.1/x", { signal }), path, {});

    const unread = await ask();
    await new Promise((r) => setTimeout(r, 20));
    expect(isOpen()).toBe(false);
    await unread.body!.cancel();

    const left = (await ask()).body!.getReader();
    expect((await left.read()).value!.length).toBeGreaterThan(0);
    expect(isOpen()).toBe(true);
    await left.cancel();
    expect(isOpen()).toBe(false);

    const stop = new AbortController();
    const givenUp = (await ask(stop.signal)).body!.getReader();
    await givenUp.read();
    expect(isOpen()).toBe(true);
    stop.abort();
    await expect.poll(isOpen).toBe(false);

    expect((await (await ask()).arrayBuffer()).byteLength).toBe(3 << 20);
    // The last bytes may arrive a moment before the file is closed.
    await expect.poll(isOpen).toBe(false);
  });

  test("are sent whole, or the range that is asked for", async () => {
    expect(await (await get()).text()).toBe("0123456789");
    const part = await get("bytes=2-4");
    expect([
      part.status,
      await part.text(),
      part.headers.get("content-range"),
      part.headers.get("content-length"),
    ]).toEqual([206, "234", "bytes 2-4/10", "3"]);
    expect(await (await get("bytes=7-")).text()).toBe("789");
    expect(await (await get("bytes=7-99")).text()).toBe("789");
    expect((await get("bytes=20-")).status).toBe(416);
    for (const none of ["bytes=oops", "bytes=-", "bytes=4-2", "bytes=0-1,4-5", "frames=1-2"]) {
      const whole = await get(none);
      expect([whole.status, await whole.text()]).toEqual([200, "0123456789"]);
    }
  });

  test("the last so many bytes are sent where no first is named", async () => {
    const last = await get("bytes=-3");
    expect([last.status, last.headers.get("content-range"), await last.text()]).toEqual([206, "bytes 7-9/10", "789"]);
    expect(await (await get("bytes=-99")).text()).toBe("0123456789");
    expect((await get("bytes=-0")).status).toBe(416);
  });

  test("names in headers cannot break out of them, and keep their letters for those who read RFC 6266", () => {
    const header = attachment('Übung "1"\r\nX: y.zip');
    expect(header).not.toMatch(/[\r\n]/);
    expect(header.match(/"/g)?.length).toBe(2);
    expect(decodeURIComponent(/filename\*=UTF-8''(.*)$/.exec(header)![1]!)).toBe('Übung "1"\r\nX: y.zip');
  });
});
