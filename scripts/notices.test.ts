import { readFileSync } from "node:fs";
import { expect, test } from "vitest";
import { NOTICES_PATH, thirdPartyNotices } from "./notices";

test("the notices in the repository are those of the packages that the lock file names: npm run notices", () => {
  const kept = readFileSync(NOTICES_PATH, "utf8");
  expect(kept).toBe(thirdPartyNotices());
  // Decoders and encoders under the LGPL are among them.
  expect(kept).toMatch(/mpg123-decoder[\s\S]*?LGPL/);
});
