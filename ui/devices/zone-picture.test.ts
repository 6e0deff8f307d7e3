import { describe, expect, test } from "vitest";
import { ownInstrument } from "../../core/testing/own-instrument";
import { isBlack, keyName, keysShown, noteOfKey, zoneBoxes } from "./zone-picture";

const nameOf = (sample: string) => sample.slice(-1);

describe("a picture of zones", () => {
  test("zones lie where their keys and velocities are, within the picture; those on the same place are told apart", () => {
    const boxes = zoneBoxes(ownInstrument, [], nameOf);
    expect(boxes).toHaveLength(ownInstrument.zones.length);
    for (const { left, top, width, height } of boxes) {
      expect(width > 0 && height > 0 && top >= 0).toBe(true);
      expect(left + width).toBeLessThanOrEqual(1.25);
    }
    expect(boxes.map((b) => b.depth)).toEqual([0, 0, 1, 0]);
    expect(boxes[0]?.title).toBe("1: keys C-1 to F♯3, velocities 1 to 127");
  });

  test("a key that is tried fills the zones that may play for it", () => {
    const heard = (pitch: number) => zoneBoxes(ownInstrument, [{ pitch, velocity: 90 }], nameOf).map((b) => b.isHeard);
    expect(heard(40)).toEqual([true, false, false, true]);
    expect(heard(53)).toEqual([true, true, true, true]);
    expect(heard(70)).toEqual([false, true, true, true]);
  });

  test("keys are those of a piano, at least two octaves of them, and have names", () => {
    expect(keysShown(ownInstrument)).toEqual([21, 108]);
    expect(keysShown({ zones: [] })).toEqual([48, 72]);
    const [low, high] = keysShown({ zones: [{ sample: "", lowKey: 36, highKey: 38 }] });
    expect([high - low, low <= 36 && high >= 38]).toEqual([24, true]);
    expect([keyName(60), keyName(21), keyName(70), isBlack(70), isBlack(71)]).toEqual(["C4", "A0", "B♭4", true, false]);
  });
});

test("digits play the scale from a C on, sharpened with Shift; other keys play nothing", () => {
  const digits = [1, 2, 3, 4, 5, 6, 7, 8];
  expect(digits.map((n) => noteOfKey(`Digit${n}`, false, 60))).toEqual([60, 62, 64, 65, 67, 69, 71, 72]);
  expect(digits.map((n) => noteOfKey(`Numpad${n}`, true, 48))).toEqual([49, 51, 53, 54, 56, 58, 60, 61]);
  for (const code of ["Digit0", "Digit9", "KeyA", "Digit12", ""]) expect(noteOfKey(code, false, 60)).toBeNull();
  // The highest key is 127.
  expect([noteOfKey("Digit8", false, 120), noteOfKey("Digit5", false, 120)]).toEqual([null, 127]);
});
