import { appendFileSync, mkdirSync, readdirSync, rmSync, statSync } from "node:fs";
import { join } from "node:path";

/** A month's worth is kept. */
const KEPT_DAYS = 31;
const DAY_MS = 24 * 3600 * 1000;
/** Of one day: far more than a working day has. Behind that only what went wrong is kept, and then nothing. */
const DAY_BYTES = 64 << 20;
const FAULTS_BYTES = 16 << 20;
/** Of all days together; the oldest go first. */
const ALL_BYTES = 512 << 20;
const NAME = /^(\d{4}-\d\d-\d\d)\.log$/;

/**
 * Keeps lines in a file a day, named by the day in UTC, for a month: lines of JSON as they are, others as lines of JSON
 * around them. Answers whether a person at the console wants to see it: what is no request and no job.
 */
export function keepLogs(folder: string): (part: string, line: string) => boolean {
  mkdirSync(folder, { recursive: true, mode: 0o700 });
  let today = "";
  let bytes = 0;
  return (part, line) => {
    const time = new Date().toISOString();
    const day = time.slice(0, 10);
    if (day !== today) {
      today = day;
      for (const name of readdirSync(folder)) {
        const made = NAME.exec(name)?.[1];
        if (made !== undefined && Date.parse(day) - Date.parse(made) > KEPT_DAYS * DAY_MS) rmSync(join(folder, name));
      }
      bytes = tidied(folder, `${day}.log`);
    }
    const isRecord = line.startsWith('{"level":');
    const isFault = !isRecord || /^\{"level":"(error|fatal|warn)"/.test(line);
    const most = isFault ? DAY_BYTES + FAULTS_BYTES : DAY_BYTES;
    if (bytes > most) return isFault;
    const kept = isRecord ? line : JSON.stringify({ level: "info", time, part, msg: line });
    try {
      const full =
        bytes + kept.length > most ? `${JSON.stringify({ level: "warn", time, msg: "this day's log is full" })}\n` : "";
      appendFileSync(join(folder, `${day}.log`), `${kept}\n${full}`, { mode: 0o600 });
      bytes += kept.length + 1 + full.length;
    } catch {
      // A full disk takes no lines either; what is served goes on.
      return true;
    }
    return isFault;
  };
}

/** Removes the oldest days until the others fit; answers with the size of today's file. */
function tidied(folder: string, today: string): number {
  const files = readdirSync(folder)
    .filter((name) => NAME.test(name))
    .sort()
    .map((name) => ({ name, bytes: statSync(join(folder, name)).size }));
  let all = files.reduce((sum, f) => sum + f.bytes, 0);
  for (const { name, bytes } of files) {
    if (all <= ALL_BYTES - DAY_BYTES || name === today) break;
    rmSync(join(folder, name));
    all -= bytes;
  }
  return files.find((f) => f.name === today)?.bytes ?? 0;
}
