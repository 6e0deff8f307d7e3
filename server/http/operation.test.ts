import { afterEach, beforeEach, expect, test, vi } from "vitest";
import { log } from "../log";
import { reply, route } from "./operation";

type Handler = ReturnType<typeof route>;
const call = (handler: Handler, params: Record<string, string>, body?: unknown, search = "") =>
  handler(
    new Request(`http://127.0.0.1:4870/x${search}`, {
      method: body === undefined ? "GET" : "POST",
      headers: { host: "127.0.0.1:4870" },
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
    }),
    { params: Promise.resolve(params) },
  );

beforeEach(() => vi.stubEnv("STEMZO_CHECK_ANSWERS", "1"));
afterEach(() => vi.unstubAllEnvs());

test("a route gets what its operation takes, checked, and answers with its usual status", async () => {
  const handler = route("POST /api/sessions/{id}/unfreeze", async ({ params, body }) => ({
    revision: body.tracks.length + params.id.length,
  }));
  const answered = await call(handler, { id: "seven77" }, { tracks: ["a", "b"] });
  expect([answered.status, await answered.json()]).toEqual([200, { revision: 9 }]);
  expect((await call(handler, { id: "x" }, { tracks: [] })).status).toBe(422);
  expect((await call(handler, { id: "x" }, { tracks: ["a"], more: 1 })).status).toBe(422);
});

test("what stands behind the question mark is checked, too", async () => {
  const handler = route("GET /api/audio/{hash}/samples", async ({ query }) => new Response(`${query.from + 1}`));
  expect(await (await call(handler, { hash: "x" }, undefined, "?from=4&frames=2")).text()).toBe("5");
  expect((await call(handler, { hash: "x" }, undefined, "?from=-1&frames=2")).status).toBe(422);
});

test("another status is answered where it is published", async () => {
  const handler = route("POST /api/sessions/{id}/edits", async () =>
    reply("POST /api/sessions/{id}/edits", 409, { revision: 3, missing: [] }),
  );
  const step = { label: "x", edits: [{ do: "set sheet", patch: {} }] };
  const answered = await call(handler, { id: "x" }, { base: 0, steps: [{ id: "s", step }] });
  expect([answered.status, await answered.json()]).toEqual([409, { revision: 3, missing: [] }]);
});

test("an answer that is not what is published is an error while answers are checked", async () => {
  const said = vi.spyOn(log, "error").mockImplementation(() => undefined);
  const wrong = route("GET /api/health", async () => ({ ok: "yes" }) as never);
  expect((await call(wrong, {})).status).toBe(500);
  expect(String((said.mock.calls[0]?.[0] as { err: Error }).err)).toContain("otherwise than published: ok");
  vi.stubEnv("STEMZO_CHECK_ANSWERS", "");
  expect((await call(wrong, {})).status).toBe(200);
  said.mockRestore();
});
