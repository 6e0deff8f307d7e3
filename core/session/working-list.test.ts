import fc from "fast-check";
import { expect, test } from "vitest";
import { WorkingList } from "./working-list";

interface Made {
  readonly id: string;
  readonly n: number;
}
type Deed = readonly [kind: "insert" | "remove" | "move" | "replace" | "find", one: number, other: number];

const deeds: fc.Arbitrary<readonly Deed[]> = fc.array(
  fc.tuple(
    fc.constantFrom(
      "insert" as const,
      "insert" as const,
      "remove" as const,
      "move" as const,
      "replace" as const,
      "find",
    ),
    fc.nat(1 << 20),
    fc.nat(1 << 20),
  ) as fc.Arbitrary<Deed>,
  { maxLength: 400, size: "max" },
);

test("does what a plain array does, long or short, also where ids are there twice", () => {
  fc.assert(
    fc.property(fc.nat(1200), fc.boolean(), deeds, (length, twice, todo) => {
      let n = 0;
      // Where ids may be there twice there are few of them.
      const made = (k: number): Made => ({ id: twice ? `id-${k % 300}` : `id-${n}`, n: n++ });
      const plain = Array.from({ length }, (_, i) => made(i));
      const list = new WorkingList(plain);
      for (const [kind, one, other] of todo) {
        const place = plain.length > 0 ? one % plain.length : -1;
        const item = plain[place];
        if (kind === "insert") {
          const added = made(other);
          const at = one % (plain.length + 1);
          plain.splice(at, 0, added);
          list.insert(at, added);
        } else if (item && kind === "remove") {
          plain.splice(place, 1);
          list.remove(place);
        } else if (item && kind === "move") {
          const to = other % plain.length;
          plain.splice(to, 0, ...plain.splice(place, 1));
          list.move(place, to);
        } else if (item && kind === "replace") {
          plain[place] = { ...item, n: -n };
          list.replace(place, plain[place]);
        }
        const sought = plain[other % Math.max(1, plain.length)]?.id ?? "missing";
        expect(list.find(sought)).toBe(plain.findIndex((p) => p.id === sought));
        expect(list.find("missing")).toBe(-1);
        expect(list.length).toBe(plain.length);
        expect(list.at(place)).toBe(plain[place]);
      }
      expect(list.done()).toEqual(plain);
    }),
    { numRuns: 120 },
  );
});
