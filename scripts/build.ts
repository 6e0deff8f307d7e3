import { spawnSync } from "node:child_process";
import { createHash } from "node:crypto";
import { existsSync, readFileSync, readdirSync, writeFileSync } from "node:fs";
import { join, relative } from "node:path";
import type { BuildOptions } from "esbuild";
import { build, context } from "esbuild";

export const CHECKOUT = join(import.meta.dirname, "..");
const SOURCES = ["app", "contract", "core", "player", "server", "ui", "worker"];
const FILES = ["package-lock.json", "next.config.ts", "tsconfig.json", "tsconfig.base.json", "postcss.config.mjs"];

/** Where a build goes: the web server's own folder, and the render process's bundle. */
export interface Build {
  readonly web: string;
  readonly worker: string;
}

/**
 * Builds web server and render process into `.next-NAME` and `dist/NAME`, unless the sources are the ones built before.
 */
export async function buildAll(name: string): Promise<Build> {
  const made: Build = { web: `.next-${name}`, worker: join("dist", name) };
  const stamp = join(CHECKOUT, made.web, "stemzo-sources");
  const wanted = sourceHash();
  if (
    existsSync(stamp) &&
    readFileSync(stamp, "utf8") === wanted &&
    existsSync(join(CHECKOUT, made.worker, "main.mjs"))
  )
    return made;
  await buildWorker(made.worker);
  await build(workletOptions);
  const web = spawnSync(process.execPath, [join(CHECKOUT, "node_modules/next/dist/bin/next"), "build"], {
    cwd: CHECKOUT,
    env: { ...process.env, STEMZO_BUILD: made.web, NEXT_TELEMETRY_DISABLED: "1" },
    encoding: "utf8",
  });
  if (web.status !== 0) throw new Error(`The web server could not be built:\n${web.stdout}\n${web.stderr}`);
  writeFileSync(stamp, wanted);
  return made;
}

/** The render process and its threads; packages stay outside. */
const workerOptions = (folder: string): BuildOptions => ({
  absWorkingDir: CHECKOUT,
  entryPoints: ["worker/main.ts", "worker/threads/task.thread.ts", "server/http/large.thread.ts"],
  outdir: folder,
  entryNames: "[name]",
  outExtension: { ".js": ".mjs" },
  bundle: true,
  splitting: true,
  platform: "node",
  target: "node20",
  format: "esm",
  packages: "external",
  sourcemap: true,
  logLevel: "warning",
});

/** The audio worklet, which is loaded by its address and must be one plain file, beside its source. */
const workletOptions: BuildOptions = {
  absWorkingDir: CHECKOUT,
  entryPoints: ["player/output.worklet.ts"],
  outfile: "player/output.worklet.gen.js",
  bundle: true,
  platform: "browser",
  target: "es2022",
  format: "esm",
  logLevel: "warning",
};

export const buildWorker = (folder: string) => build(workerOptions(folder));

/** Builds render process and worklet anew whenever their sources change, and calls `built` each time but the first. */
export async function watchAll(name: string, built: () => void): Promise<Build> {
  const made: Build = { web: `.next-${name}`, worker: join("dist", name) };
  let first = true;
  const worker = await context({
    ...workerOptions(made.worker),
    plugins: [
      {
        name: "say when built",
        setup: ({ onEnd }) =>
          onEnd(({ errors }) => {
            if (errors.length === 0 && !first) built();
            first = false;
          }),
      },
    ],
  });
  await worker.rebuild();
  await worker.watch();
  await build(workletOptions);
  await (await context(workletOptions)).watch();
  return made;
}

function sourceHash(): string {
  const hash = createHash("sha256");
  const add = (path: string) =>
    hash
      .update(path)
      .update("\0")
      .update(readFileSync(join(CHECKOUT, path)))
      .update("\0");
  for (const folder of SOURCES) {
    const entries = readdirSync(join(CHECKOUT, folder), { recursive: true, withFileTypes: true }).filter(
      (e) => e.isFile() && !/\.(test\.tsx?|gen\.js)$/.test(e.name),
    );
    for (const path of entries.map((e) => relative(CHECKOUT, join(e.parentPath, e.name))).sort()) add(path);
  }
  for (const file of FILES) if (existsSync(join(CHECKOUT, file))) add(file);
  return hash.digest("hex");
}
