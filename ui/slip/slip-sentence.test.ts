import { describe, expect, test } from "vitest";
import type { Slip } from "../../core/printing/slip";
import { plainSlip } from "../../core/printing/slip";
import { session } from "../testing/bench-session";
import type { Choice, Part } from "./slip-sentence";
import { sentenceOf } from "./slip-sentence";

const beside = { chosen: { from: 48_000, to: 96_000 }, marked: null, bar: (frame: number) => String(frame / 48_000) };
const isChoice = (part: Part): part is Choice => typeof part !== "string" && part.part === "choice";
/** As it reads, with the chosen labels; parts with pickers of their own by their names. */
const textOf = (slip: Slip): string =>
  sentenceOf(session, slip, beside)
    .map((p) =>
      typeof p === "string"
        ? p
        : isChoice(p)
          ? (p.options.find((o) => o.value === p.value)?.label ?? `?${p.value}?`)
          : p.part === "other taps" || p.part === "moving"
            ? ""
            : `[${p.part}]`,
    )
    .join("");
const changed = (slip: Slip, choice: Choice, value: string): Slip => {
  const change = choice.change(value);
  return "want" in change ? { ...slip, ...change.want } : { ...slip, placed: "pad", pad: change.onto };
};

describe("the sentence of a slip", () => {
  test("reads as what is printed, and leaves out what makes no sense", () => {
    expect(textOf(plainSlip(["a"]))).toBe(
      "Print [what] from the start to the last sound, tapped after its devices, as one piece [tail], " +
        "mono or stereo as it is in float, called [name], on a new track below; then park the source.",
    );
    expect(textOf({ ...plainSlip(["a", "i"]), together: true, tap: "channel" })).toContain(
      "tapped after its fader without returns, as one print of all [tail], ",
    );
    expect(textOf({ ...plainSlip(["a"]), placed: "shelf" })).toMatch(/in float, called \[name\], on the shelf only\.$/);
    expect(textOf({ ...plainSlip(["i"]), of: { what: "phrase", phrase: "p" } })).not.toContain("tapped");
  });

  test("every choice stands among its options, whatever was chosen before, and keeps to what was chosen", () => {
    let seen = 0;
    const walk = (slip: Slip, depth: number): void => {
      for (const part of sentenceOf(session, slip, beside)) {
        if (!isChoice(part)) continue;
        expect([part.label, part.options.map((o) => o.value)]).toEqual([
          part.label,
          expect.arrayContaining([part.value]) as unknown,
        ]);
        for (const { value } of depth > 0 ? part.options : []) {
          const next = changed(slip, part, value);
          const again = sentenceOf(session, next, beside).find((p) => isChoice(p) && p.label === part.label);
          // A chosen range is named by its frames from then on.
          if (part.label !== "Range" && again && isChoice(again))
            expect([part.label, again.value]).toEqual([part.label, value]);
          seen++;
          walk(next, depth - 1);
        }
      }
    };
    walk(plainSlip(["a"]), 2);
    walk(plainSlip(["a", "i"]), 1);
    expect(seen).toBeGreaterThan(300);
  });
});
