import { formatClock } from "../time/clock";
import { depthName } from "../units";
import { formatChannels } from "../words/delivered";
import { fileFormats } from "../words/settings";
import type { FileOnSheet, SheetFacts } from "./facts";

/** What a sheet says in sentences, on every kind of paper alike. */

/** How many files there are of which kind, how long, of which date. */
export function summary(sheet: SheetFacts): string {
  const stems = sheet.files.filter((f) => f.role === "stem").length;
  const mixes = sheet.files.length - stems;
  const counted = [
    ...(stems > 0 || mixes === 0 ? [amount(stems, "stem")] : []),
    ...(mixes > 0 ? [amount(mixes, "mix", "mixes")] : []),
  ].join(" and ");
  const length = `${sheet.ends === "trimmed" ? "up to" : "each"} ${formatClock(sheet.seconds)} long`;
  const formats = [...new Set(sheet.files.map((f) => fileFormats[f.format].label))].join(" and ");
  const depth = `${depthName(sheet.depth)}${sheet.dither ? " with dither" : ""}`;
  const receiver = sheet.receiver === "" ? "" : ` Made for: ${sheet.receiver}.`;
  return `${counted}, ${length}, ${formats}, ${sheet.rate} Hz, ${depth}. Revision ${sheet.revision}, ${sheet.date}.${receiver}`;
}

/** How to lay the files in any program so that they sound together as they did. */
export function liningUp(sheet: SheetFacts): string {
  const bars = amount(sheet.leadBars, "bar");
  const lengths = sheet.ends === "trimmed" ? "each ends with its own last sound" : "they are equally long";
  const begins =
    sheet.leadBars === 0
      ? `The first frame is bar ${sheet.from} of the song`
      : `In front are ${bars} of silence, ${formatClock(sheet.leadSeconds)} long; behind them is bar ${sheet.from} of the song`;
  return (
    `Lay every file at the same place: they all begin at the same instant, and ${lengths}. ${begins}; every file is ` +
    `stamped with its first frame as frame ${sheet.timeReference}. Load the tempo map at that place first, and bars ` +
    `and beats agree${sheet.leadBars > 0 ? ", the silent ones counted in" : ""}.`
  );
}

export const channelsText = ({ fold, channels }: FileOnSheet): string =>
  fold === "left" || fold === "right" ? `${fold} channel` : `${formatChannels(channels)}${fold ? ", folded" : ""}`;

const amount = (n: number, one: string, many = `${one}s`): string => `${n} ${n === 1 ? one : many}`;
