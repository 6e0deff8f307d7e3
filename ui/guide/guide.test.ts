import { existsSync, readFileSync } from "node:fs";
import { describe, expect, it } from "vitest";
import { ACTIONS } from "../frame/registry";
import { CHAPTERS } from "./chapters";
import { guideText, howTo } from "./guide-text";

describe("the guide", () => {
  it("is in docs as it is in the app (npm run guide)", () => {
    expect(readFileSync("docs/guide.md", "utf8")).toBe(guideText());
  });
  it("names actions that there are, and pictures that there are", () => {
    const known = new Set(ACTIONS.map((a) => a.id));
    for (const { id, steps, picture } of CHAPTERS) {
      expect(steps.length, id).toBeLessThanOrEqual(6);
      for (const step of steps) {
        expect([id, step.action ?? null, step.action === undefined || known.has(step.action)]).toEqual([
          id,
          step.action ?? null,
          true,
        ]);
        const how = howTo(step);
        if (step.action !== undefined) expect(how?.key ?? how?.way, step.action).toBeTruthy();
      }
      if (picture !== null) expect(existsSync(`docs/screenshots/${picture}.png`), picture).toBe(true);
    }
  });
  it("says everything in sentences of at most 25 words", () => {
    const texts = CHAPTERS.flatMap((c) => [c.when, c.look, ...c.wrong, ...c.steps.map((s) => s.text)]);
    for (const text of texts)
      for (const sentence of text.split(/[.:]\s/)) expect(sentence.split(" ").length, sentence).toBeLessThanOrEqual(25);
  });
});
