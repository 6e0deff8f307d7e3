import type { Slip } from "../../core/printing/slip";
import type { Option } from "../parts/option-list";
import type { Wanted } from "./slip-store";

export type Stretch = { readonly from: number; readonly to: number } | null;

/** The stretches of the timeline that a print can be of. */
export function rangeOptions(
  saved: readonly { readonly id: string; readonly name: string }[],
  chosen: Stretch,
  marked: Stretch,
  bar: (frame: number) => string,
  several = false,
): readonly Option<string>[] {
  return [
    {
      value: "zero",
      label: several ? "bar 1 to the last sound of all" : "the start to the last sound",
      about: several
        ? "all files begin there and are equally long"
        : "from the timeline's zero, so that it lines up with everything",
    },
    {
      value: "own",
      label: several ? "each track's first clip to its last sound" : "its first clip to its last sound",
      ...(several ? { about: "every file has its own beginning and length" } : {}),
    },
    ...(chosen
      ? [
          {
            value: "chosen",
            label: `bar ${bar(chosen.from)} to ${bar(chosen.to)}`,
            about: "the range selected on the lanes",
          },
        ]
      : []),
    ...(marked
      ? [
          {
            value: "marked",
            label: `bar ${bar(marked.from)} to ${bar(marked.to)} (loop range)`,
            about: "the range on the ruler",
          },
        ]
      : []),
    ...saved.map((r) => ({ value: `saved/${r.id}`, label: r.name, about: "a saved range" })),
  ];
}

/** The range that an option stands for. */
export function rangeOf(value: string, chosen: Stretch, marked: Stretch): Wanted["range"] | null {
  if (value === "zero" || value === "own") return { by: value };
  if (value === "chosen" && chosen) return { by: "stretch", from: chosen.from, to: chosen.to };
  if (value === "marked" && marked) return { by: "stretch", from: marked.from, to: marked.to };
  return value.startsWith("saved/") ? { by: "saved", range: value.slice(6) } : null;
}

/** Names a range among the options. */
export const rangeKey = (range: Slip["range"]): string =>
  range.by === "saved"
    ? `saved/${range.range}`
    : range.by === "stretch"
      ? `stretch/${range.from}/${range.to}`
      : range.by;
export const rangeText = (range: Slip["range"], bar: (frame: number) => string): string =>
  range.by === "stretch" ? `bar ${bar(range.from)} to ${bar(range.to)}` : "a range";
