import { appendFileSync, mkdirSync, readdirSync, rmSync } from "node:fs";
import { join } from "node:path";

/** A month's worth is kept. */
const KEPT_DAYS = 31;
const DAY_MS = 24 * 3600 * 1000;
const NAME = /^(\d{4}-\d\d-\d\d)\.log$/;

/**
 * Keeps lines in a file a day, named by the day in UTC, for a month: lines of JSON as they are, others as lines of JSON
 * around them. Answers whether a person at the console wants to see it: what is no request and no job.
 */
export function keepLogs(folder: string): (part: string, line: string) => boolean {
  mkdirSync(folder, { recursive: true, mode: 0o700 });
  let today = "";
  return (part, line) => {
    const time = new Date().toISOString();
    const day = time.slice(0, 10);
    if (day !== today) {
      today = day;
      for (const name of readdirSync(folder)) {
        const made = NAME.exec(name)?.[1];
        if (made !== undefined && Date.parse(day) - Date.parse(made) > KEPT_DAYS * DAY_MS) rmSync(join(folder, name));
      }
    }
    const isRecord = line.startsWith('{"level":');
    const kept = isRecord ? line : JSON.stringify({ level: "info", time, part, msg: line });
    try {
      appendFileSync(join(folder, `${day}.log`), `${kept}\n`, { mode: 0o600 });
    } catch {
      // A full disk takes no lines either; what is served goes on.
      return true;
    }
    return !isRecord || /^\{"level":"(error|fatal|warn)"/.test(line);
  };
}
