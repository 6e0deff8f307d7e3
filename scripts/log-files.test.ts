import { mkdtempSync, readFileSync, readdirSync, statSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { expect, test, vi } from "vitest";
import { keepLogs } from "./log-files";

test("lines go into a file a day, records as they are; a month is kept, and nothing else is touched", () => {
  const folder = mkdtempSync(join(tmpdir(), "stemzo-logs-"));
  vi.useFakeTimers({ now: Date.parse("2026-03-01T23:59:59Z") });
  try {
    writeFileSync(join(folder, "2026-01-28.log"), "a month ago");
    writeFileSync(join(folder, "2026-01-27.log"), "older");
    writeFileSync(join(folder, "notes.txt"), "not ours");
    const keep = keepLogs(folder);
    const record = '{"level":"info","part":"web","msg":"request"}';
    expect(keep("web", record)).toBe(false);
    expect(keep("web", '{"level":"error","msg":"unforeseen"}')).toBe(true);
    expect(keep("web", 'plain "words"')).toBe(true);
    vi.setSystemTime(Date.parse("2026-03-02T00:00:01Z"));
    keep("render", "later");
    const lines = (day: string) =>
      readFileSync(join(folder, `${day}.log`), "utf8")
        .trimEnd()
        .split("\n");
    expect(lines("2026-03-01")[0]).toBe(record);
    expect(JSON.parse(lines("2026-03-01")[2] ?? "")).toMatchObject({ part: "web", msg: 'plain "words"' });
    expect(JSON.parse(lines("2026-03-02")[0] ?? "")).toMatchObject({
      part: "render",
      time: "2026-03-02T00:00:01.000Z",
    });
    expect(readdirSync(folder).sort()).toEqual(["2026-03-01.log", "2026-03-02.log", "notes.txt"]);
    expect(statSync(join(folder, "2026-03-01.log")).mode & 0o077).toBe(0);
  } finally {
    vi.useRealTimers();
  }
});
