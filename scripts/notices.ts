import { existsSync, readFileSync, readdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { z } from "zod";
import { CHECKOUT } from "./build";

const lockSchema = z.object({
  packages: z.record(
    z.string(),
    z.object({ version: z.string().optional(), dev: z.boolean().optional(), optional: z.boolean().optional() }),
  ),
});
const packageSchema = z.object({
  license: z.union([z.string(), z.object({ type: z.string() })]).optional(),
  licenses: z.array(z.object({ type: z.string() })).optional(),
});

interface Notice {
  readonly name: string;
  readonly version: string;
  readonly license: string;
  /** Of its licence file; empty: it has none. */
  readonly text: string;
}

/** What the licences of everything that the product is made of want to be told with it, as one text. */
export function thirdPartyNotices(): string {
  const { packages } = lockSchema.parse(JSON.parse(readFileSync(join(CHECKOUT, "package-lock.json"), "utf8")));
  const notices = Object.entries(packages).flatMap(([path, facts]): Notice[] => {
    // Packages of other platforms and tools for development are no part of it.
    if (path === "" || facts.dev === true || facts.optional === true) return [];
    return [noticeOf(path, facts.version ?? "")];
  });
  const byText = new Map<string, Notice[]>();
  for (const notice of notices) {
    const key = `${notice.license}\n${notice.text}`;
    byText.set(key, [...(byText.get(key) ?? []), notice]);
  }
  const parts = [...byText.values()].map((same) => {
    const [first] = same as [Notice, ...Notice[]];
    const names = same.map((n) => `${n.name} ${n.version}`).join("\n");
    return `${names}\n\nLicence: ${first.license}\n${first.text === "" ? "" : `\n${first.text}\n`}`;
  });
  return `Stemzo is made with the packages below. Each is under the licence that stands with it.\n\n${parts.join(`\n${"-".repeat(78)}\n\n`)}`;
}

function noticeOf(path: string, version: string): Notice {
  const folder = join(CHECKOUT, path);
  const name = path.replace(/^.*node_modules\//, "");
  if (!existsSync(join(folder, "package.json")))
    throw new Error(`${path} is in the lock file and not installed: run npm ci first`);
  const { license, licenses } = packageSchema.parse(JSON.parse(readFileSync(join(folder, "package.json"), "utf8")));
  const stated = typeof license === "string" ? license : (license?.type ?? licenses?.map((l) => l.type).join(" or "));
  const file = readdirSync(folder)
    .filter((entry) => /^(licen[cs]e|copying|notice)([.-].*)?$/i.test(entry))
    .sort()[0];
  const text = file === undefined ? "" : readFileSync(join(folder, file), "utf8").replaceAll("\r\n", "\n").trim();
  return { name, version, license: stated ?? "see its licence file", text };
}

export const NOTICES_PATH = join(CHECKOUT, "THIRD-PARTY-NOTICES.txt");

if (import.meta.url === `file://${process.argv[1] ?? ""}`) writeFileSync(NOTICES_PATH, thirdPartyNotices());
