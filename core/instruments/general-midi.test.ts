import { expect, test } from "vitest";
import { programByName } from "./general-midi";

test.each([
  [["GrandPiano 2"], 0, 0],
  [["Poly Machine", "Bass_01"], 0, 33],
  [["Tines", "Verse"], 0, 4],
  [["Studio Drums", "Bass"], 128, 0],
  [["Thing", "snare"], 128, 0],
  [["Warm Strings"], 0, 48],
  [["SATB Choir"], 0, 52],
  [["Éclat", "Nylon gtr"], 0, 24],
  // A word within another says nothing.
  [["Embassy", "Bigrand"], 0, 0],
  [["", ""], 0, 0],
])("%j asks for bank %d, program %d", (names, bank, program) => {
  expect(programByName(...names)).toEqual({ bank, program });
});
