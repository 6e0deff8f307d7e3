import { spawn } from "node:child_process";
import { join } from "node:path";
import { CHECKOUT } from "../../scripts/build";
import { toolsMissing } from "../setup/python-tools";
import { HOSTS, inTheMiddle, namespacesMissing } from "./namespaces";
import { sharesMissing, shareOfProcessors } from "./processor-share";

/** What two machines with one database and one bucket did. */
export interface HostFigures {
  /** Until the export of a machine whose cable was pulled was done by the other, in seconds. */
  readonly takenOverS: number;
  /** Until that machine works again once the cable is back. */
  readonly backS: number;
  /** The same of a machine whose processes were stopped: their connections stand, and say nothing. */
  readonly stoppedOverS: number;
  readonly stoppedBackS: number;
  /** So many exports with their proofs, by one render process and by two; null where none were asked for. */
  readonly exports: number;
  readonly oneS: number | null;
  readonly twoS: number | null;
  readonly faults: readonly string[];
}

/** Why it cannot be tried here; null: it can. */
export const hostsMissing = (): string | null => namespacesMissing() ?? toolsMissing("bucket");

/**
 * So much of a processor has each machine. What is left of two is for what stands between them, the database and the
 * bucket, and for whatever else this machine does: they would have machines of their own.
 */
const PROCESSORS_EACH = 0.65;

/**
 * Runs web servers and render processes on two machines that are namespaces of this one's network, with one database
 * and one bucket between them, and pulls a cable.
 */
export const tryHosts = (exports: number): Promise<HostFigures> =>
  inTheMiddle(async (through) => {
    const shares = sharesMissing() === null ? HOSTS.map((name) => shareOfProcessors(name, PROCESSORS_EACH)) : [];
    const [program = "", ...args] = [
      ...through,
      join(CHECKOUT, "node_modules/.bin/tsx"),
      join(CHECKOUT, "tests/trust/hosts-inside.ts"),
      String(exports),
      JSON.stringify(shares.map((s) => s.through)),
    ];
    const child = spawn(program, args, { cwd: CHECKOUT, stdio: ["ignore", "pipe", "inherit"] });
    let said = "";
    child.stdout.setEncoding("utf8").on("data", (text: string) => (said += text));
    const code = await new Promise<number | null>((resolve, reject) => {
      child.once("error", reject);
      child.once("close", resolve);
    });
    const [, figures] = /^FIGURES (.*)$/m.exec(said) ?? [];
    for (const share of shares) share.remove();
    if (code !== 0 || figures === undefined) throw new Error(`the machines ended with ${code ?? "a signal"}`);
    return JSON.parse(figures) as HostFigures;
  });
