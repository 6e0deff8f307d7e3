import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, expect, test } from "vitest";
import { endure, victims } from "../../tests/truth/mutations";

const folder = mkdtempSync(join(tmpdir(), "stemzo-mutations-"));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

/** A share of what `npm run truth -- --mutations` does ten thousand times a reader. */
test("no damaged session file does more than be refused as malformed", async () => {
  for (const victim of await victims(folder)) {
    const { faults, read, refused } = await endure(victim, 300);
    expect([victim.name, faults]).toEqual([victim.name, []]);
    expect([victim.name, read > 0, refused > 0]).toEqual([victim.name, true, true]);
  }
}, 120_000);
