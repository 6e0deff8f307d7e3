import { pino } from "pino";

/**
 * One line of JSON for everything that is worth keeping: a request, a job, an error. `STEMZO_LOG` says from which level
 * on (debug, info, warn, error, silent); the start script keeps what is written here in files by day.
 */
export const log = pino({
  level: process.env["STEMZO_LOG"] ?? "info",
  base: { part: process.env["STEMZO_PART"] ?? "tests" },
  timestamp: pino.stdTimeFunctions.isoTime,
  formatters: { level: (level) => ({ level }) },
});
