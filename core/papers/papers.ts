import { utf8ToBytes } from "@noble/hashes/utils.js";
import type { Session } from "../session/document";
import { safeName } from "../delivery/naming";
import type { ExportPlan } from "../delivery/plan";
import { leadTicks } from "../delivery/plan";
import { sheetCsv } from "./csv";
import type { FileAsWritten, Made } from "./facts";
import { sheetFacts, ticksOf } from "./facts";
import { sheetPage } from "./page";
import { tempoMapFile } from "./tempo-map";

/** What lies beside the audio of a delivery, for people and for their programs. */
export interface Paper {
  readonly name: string;
  readonly role: "tempo map" | "sheet" | "printed sheet" | "table";
  readonly bytes: Uint8Array;
}

/** The papers of a delivery: the same session, plan and files give the same bytes. `date` is the revision's. */
export function papersOf(
  session: Session,
  plan: ExportPlan,
  written: readonly FileAsWritten[],
  made: Made,
): readonly Paper[] {
  const facts = sheetFacts(session, plan, written, made);
  const song = safeName(session.name);
  return [
    { name: `${song} sheet.html`, role: "sheet", bytes: utf8ToBytes(sheetPage(facts)) },
    { name: `${song} sheet.csv`, role: "table", bytes: utf8ToBytes(sheetCsv(facts)) },
    {
      name: `${song} tempo map.mid`,
      role: "tempo map",
      bytes: tempoMapFile(session, ...ticksOf(session, plan), plan.leadBars > 0 ? leadTicks(session) : 0),
    },
  ];
}
