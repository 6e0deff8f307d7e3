import type { Loss } from "../timeline/loss";
import { FATES, reportOf } from "../timeline/report";
import { FATE_HEADINGS, sayLoss } from "../words/losses";

/** A loss report as plain text: what a session file carries of its session, and what not. */
export function lossPaper(fileName: string, losses: readonly Loss[]): string {
  const lines = reportOf(losses);
  const sections = FATES.flatMap((fate) => {
    const of = lines.filter((l) => l.fate === fate);
    if (of.length === 0) return [];
    return [
      FATE_HEADINGS[fate],
      ...of.map((l) => {
        const { what, more } = sayLoss(l);
        return `  ${what}${more === "" ? "" : ` (${more})`}`;
      }),
      "",
    ];
  });
  return [`What ${fileName} carries`, "", ...sections].join("\r\n");
}
