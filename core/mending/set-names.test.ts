import fc from "fast-check";
import { expect, it } from "vitest";
import { namesByPattern } from "./set-names";

const by = (pattern: string, ...names: string[]) => namesByPattern(pattern, names, { set: "Harbour", bpm: 97.5 });

it("says number, name, set and tempo, and does not number what is numbered already twice", () => {
  expect(by("{number} {name}", "3 - Kick", "Bass")).toEqual(["01 Kick", "02 Bass"]);
  expect(by("{set} {name} {tempo}", "808 Kick")).toEqual(["Harbour 808 Kick 97.5 bpm"]);
  expect(namesByPattern("{name} {tempo}", ["Kick"], { set: "", bpm: null })).toEqual(["Kick"]);
});

it("never leaves a file without a name, nor two with one", () => {
  fc.assert(
    fc.property(
      fc.stringMatching(/^(\{number\}|\{name\}|\{set\}|\{tempo\}|\{|x| ){0,8}$/),
      fc.array(
        fc.stringMatching(/^[a-c1 _]{1,6}$/).filter((n) => n.trim() !== ""),
        { minLength: 1, maxLength: 30 },
      ),
      (pattern, names) => {
        const made = by(pattern, ...names);
        expect(made).toHaveLength(names.length);
        for (const name of made) expect(name.trim()).not.toBe("");
        // A number that is put behind may be one that another name has of itself: said twice at most by that.
        expect(new Set(made.map((n) => n.toLowerCase())).size).toBe(made.length);
      },
    ),
  );
});
