import { execFileSync } from "node:child_process";
import { existsSync } from "node:fs";

/** A machine of its own, as the network has it. */
export interface Host {
  readonly name: string;
  readonly address: string;
  /** What is put in front of a command that is to run there. */
  readonly through: readonly string[];
  /** Pulls its cable out, and puts it back. */
  cutOff(isCut: boolean): void;
}

const HUB = "stemzo-hub";
/** Names of the two machines. */
export const HOSTS = ["stemzo-one", "stemzo-two"];
const BRIDGE = "stemzo-bridge";
const addressOf = (n: number): string => `10.87.0.${n}`;
const ip = (...args: readonly string[]) => execFileSync("ip", [...args], { stdio: ["ignore", "ignore", "pipe"] });
const inHub = (...args: readonly string[]) => ip("netns", "exec", HUB, "ip", ...args);

/** Why there can be no such machines here; null: there can. */
export function namespacesMissing(): string | null {
  if (process.getuid?.() !== 0) return "only root makes network namespaces";
  if (!["/usr/sbin/ip", "/sbin/ip", "/bin/ip"].some(existsSync)) return "iproute2 is not installed";
  try {
    ip("netns", "add", "stemzo-try");
    ip("netns", "del", "stemzo-try");
    return null;
  } catch (error) {
    return `no network namespace can be made here: ${(error as Error).message.split("\n")[0] ?? ""}`;
  }
}

/** Address of the machine in the middle, where this has to run: see `inTheMiddle`. */
export const HUB_ADDRESS = addressOf(1);

/** Runs a command in the middle of two new machines that reach it and each other, and nothing else. */
export async function inTheMiddle<T>(work: (through: readonly string[]) => Promise<T>): Promise<T> {
  const remove = () => {
    for (const name of [HUB, ...HOSTS])
      try {
        ip("netns", "del", name);
      } catch {
        // There is none.
      }
  };
  remove();
  try {
    for (const name of [HUB, ...HOSTS]) {
      ip("netns", "add", name);
      ip("netns", "exec", name, "ip", "link", "set", "lo", "up");
    }
    inHub("link", "add", BRIDGE, "type", "bridge");
    inHub("addr", "add", `${HUB_ADDRESS}/24`, "dev", BRIDGE);
    inHub("link", "set", BRIDGE, "up");
    for (const [i, name] of HOSTS.entries()) {
      inHub("link", "add", `to-${i}`, "type", "veth", "peer", "name", "cable", "netns", name);
      inHub("link", "set", `to-${i}`, "master", BRIDGE, "up");
      ip("netns", "exec", name, "ip", "addr", "add", `${addressOf(i + 2)}/24`, "dev", "cable");
      ip("netns", "exec", name, "ip", "link", "set", "cable", "up");
    }
    return await work(["ip", "netns", "exec", HUB]);
  } finally {
    remove();
  }
}

/** The two machines, as one in the middle of them knows them. */
export const hosts = (): readonly Host[] =>
  HOSTS.map((name, i) => ({
    name,
    address: addressOf(i + 2),
    through: ["ip", "netns", "exec", name],
    cutOff: (isCut) => void ip("link", "set", `to-${i}`, isCut ? "down" : "up"),
  }));
