import { measureSilence } from "./speed-silence";
import type { Row } from "./speed-row";
import { printRow } from "./speed-row";

/** The device whose minutes of silence are least alike; every device's are told. */
export function inSilence(): readonly Row[] {
  console.log("\nten minutes of silence after a sound, milliseconds the slowest minute : the quickest");
  const all = measureSilence();
  for (const { device, slowest, quickest } of all)
    console.log(
      `  ${device.padEnd(12)} ${slowest.toFixed(1).padStart(9)} : ${quickest.toFixed(1).padStart(9)}  = ${(slowest / quickest).toFixed(2)}x`,
    );
  const worst = all.reduce((a, b) => (b.slowest / b.quickest > a.slowest / a.quickest ? b : a));
  console.log(`\nsilence: ${worst.device}`);
  return [
    printRow({
      work: "silence",
      measure: "wall",
      ours: worst.slowest,
      against: "quickest minute",
      theirs: worst.quickest,
      ratio: worst.slowest / worst.quickest,
    }),
  ];
}
