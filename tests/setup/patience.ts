import { vi } from "vitest";

/** What is waited for comes at once, but for a machine that has stopped for a moment: a second is too short then. */
const LONGEST_MS = 20_000;

const { waitFor } = vi;
vi.waitFor = (check, options) =>
  waitFor(check, typeof options === "number" ? options : { timeout: LONGEST_MS, ...options });
