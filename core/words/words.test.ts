import { describe, expect, test } from "vitest";
import type { Reason } from "../printing/reasons";
import type { Finding } from "../delivery/finding";
import { sayFinding } from "./preflight";
import { sayPrintFinding } from "./print-findings";
import { sayReason } from "./reasons";
import { sayWarning } from "./warnings";

describe("what is said", () => {
  test('a reason names the tracks and devices it is about, and stands behind "because"', () => {
    const reasons: readonly Reason[] = [
      { kind: "steers others", track: "Kick", steered: ["Pad", "Bass"] },
      { kind: "pieces through a device", track: "Kick", device: "Comp" },
      { kind: "groups hear all", groups: ["Drums", "All"] },
      { kind: "tempo moves the notes", clip: "Verse" },
    ];
    for (const reason of reasons) {
      const said = sayReason(reason);
      for (const value of Object.values(reason).flat()) if (value !== reason.kind) expect(said).toContain(value);
      expect(said).not.toMatch(/[.]$/);
    }
  });

  test("what is mended has something to press, what is not has nothing", () => {
    const warning = sayWarning({ kind: "stale freezes", tracks: ["A", "B"], mend: { edits: [] } });
    expect([warning.what, warning.fix]).toEqual([
      "A, B play stale freezes, which are what would be printed.",
      "Print the live source",
    ]);
    expect(sayWarning({ kind: "soloed", mend: null }).fix).toBeNull();
    expect(sayWarning({ kind: "differs", reason: { kind: "loop" }, certain: false, mend: null }).what).toMatch(
      /^It may not sound exactly the same: .*The difference is measured\.$/,
    );
  });

  test("one and many, levels with a real minus sign", () => {
    expect(sayPrintFinding({ kind: "clipped", samples: 1 }, "Bass", 48000).what).toContain("1 sample of Bass went");
    expect(sayPrintFinding({ kind: "clipped", samples: 12 }, "Bass", 48000).what).toContain("12 samples of Bass went");
    expect(sayPrintFinding({ kind: "cut tail", endDb: -31.4 }, "Bass", 48000).what).toContain("(−31 dBFS)");
    const stray: Finding = {
      id: "s",
      weight: "look",
      fix: null,
      kind: "stray clips",
      clips: 1,
      track: "Bass",
      atS: 61,
      gapS: 20,
      longerS: 22,
    };
    expect(sayFinding(stray)).toMatchObject({
      what: 'A clip on "Bass" stands alone at 1:01.000, 0:20.000 after everything else.',
      fix: "Remove it",
    });
  });
});
