import { describe, expect, it } from "vitest";
import { sessionFileSchema } from "./document";
import { plainSessionFile } from "./plain-session-file";

describe("a session file with nothing chosen", () => {
  it("is what the schema fills in", () => {
    for (const kind of sessionFileSchema.shape.kind.options)
      expect(plainSessionFile(kind)).toEqual(sessionFileSchema.parse({ kind }));
  });
});
