import type { ChildProcess, StdioOptions } from "node:child_process";
import { spawn } from "node:child_process";
import { join } from "node:path";
import { activityOf } from "../server/processes";
import { CHECKOUT, type Build } from "./build";
import { Watchdog } from "./watchdog";

export interface Served {
  /** Of the web server; empty where none runs here. */
  readonly address: string;
  /** Number of the web server's process as it was started first; 0 where none runs here. */
  readonly webPid: number;
  /** Ends the render process, which starts again as it has been built since. */
  renewWorker(): void;
  stop(): Promise<void>;
}

/** The processes that do the work: of the pages and the interface, and of what is computed. */
export type Part = "web" | "render";

export interface ServeOptions {
  readonly build: Build;
  /** Both where nothing is said. */
  readonly parts?: readonly Part[];
  readonly port: number;
  readonly databaseUrl: string;
  readonly dataRoot: string;
  /** What one of the processes says, or what is said of it; `part`: which. */
  readonly log: (line: string, part: string) => void;
  readonly onChild?: (pid: number) => void;
  /** The address that the web server listens on; this machine's own where nothing is said. */
  readonly host?: string;
  /** Variables of the web server alone. */
  readonly settings?: Readonly<Record<string, string>>;
  /** The web server builds what is asked for as it is asked for, and again when it changes. */
  readonly dev?: boolean;
}

const RESTART_AFTER_MS = 500;
/** What every process that is started loads first. */
const TIED = join(CHECKOUT, "scripts/tied.cjs");
const WEB_REQUESTS = join(CHECKOUT, "scripts/web-requests.cjs");
const LOOK_EVERY_MS = 1000;
/** Longer than any client keeps an idle connection, so that none is closed under a request. */
const KEEP_ALIVE_MS = 75_000;
/** The render process makes few short-lived objects outside its threads: less room for them, 25 MB less held (MB). */
const YOUNG = "--max-semi-space-size=4";
const OLD = "--max-old-space-size=768";

/** Runs web server and render process, or one of them, and starts each again when it ends. Resolves when all are up. */
export async function serve({
  build,
  port,
  databaseUrl,
  dataRoot,
  log,
  onChild,
  dev = false,
  parts = ["web", "render"],
  host = "127.0.0.1",
  settings = {},
}: ServeOptions): Promise<Served> {
  const env: NodeJS.ProcessEnv = {
    ...process.env,
    NODE_ENV: dev ? "development" : "production",
    NEXT_TELEMETRY_DISABLED: "1",
    STEMZO_DATABASE: databaseUrl,
    STEMZO_DATA: dataRoot,
    STEMZO_BUILD: build.web,
    STEMZO_THREADS: join(CHECKOUT, build.worker),
    ...settings,
  };
  // The hash is as good as the password.
  delete env["STEMZO_PASSWORD"];
  let stopping = false;
  const keepers: { readonly name: string; readonly keeper: { child: ChildProcess; watchdog: Watchdog } }[] = [];
  // One that is stopped, or turns in a circle, does not end by itself.
  const watch = setInterval(() => {
    for (const { name, keeper } of keepers) {
      const why = keeper.watchdog.look(activityOf(keeper.child.pid ?? 0));
      if (why === null) continue;
      log(`${why}, ending it`, name);
      keeper.child.kill("SIGKILL");
    }
  }, LOOK_EVERY_MS);
  const kept = (name: Part, args: readonly string[]) => {
    const keeper = { child: null as unknown as ChildProcess, watchdog: new Watchdog(), told: false };
    const start = () => {
      const stdio: StdioOptions = ["ignore", "pipe", "pipe", "ipc"];
      const own = { ...env, STEMZO_PART: name };
      const child = spawn(process.execPath, ["-r", TIED, ...args], { cwd: CHECKOUT, env: own, stdio });
      keeper.watchdog.heard();
      child.on("message", () => {
        keeper.watchdog.heard();
        keeper.told = true;
      });
      for (const stream of [child.stdout, child.stderr]) {
        if (!stream) continue;
        stream.setEncoding("utf8");
        stream.on("data", (text: string) => {
          for (const line of text.split("\n")) if (line.trim()) log(line, name);
        });
      }
      child.once("exit", (code, signal) => {
        if (stopping || keeper.child !== child) return;
        log(`ended (${signal ?? code ?? "?"}), starting again`, name);
        setTimeout(start, RESTART_AFTER_MS);
      });
      keeper.child = child;
      if (child.pid !== undefined) onChild?.(child.pid);
    };
    start();
    keepers.push({ name, keeper });
    return keeper;
  };
  const isHere = (part: Part) => parts.includes(part);
  const web = !isHere("web")
    ? null
    : kept("web", [
        "-r",
        WEB_REQUESTS,
        join(CHECKOUT, "node_modules/next/dist/bin/next"),
        dev ? "dev" : "start",
        "-H",
        host,
        "-p",
        String(port),
        ...(dev ? [] : ["--keepAliveTimeout", String(KEEP_ALIVE_MS)]),
      ]);
  const worker = !isHere("render")
    ? null
    : kept("render", [YOUNG, OLD, "--expose-gc", "--enable-source-maps", join(CHECKOUT, build.worker, "main.mjs")]);
  const named = host.includes(":") ? `[${host}]` : host;
  const address = web ? `http://${/^(0\.0\.0\.0|::)$/.test(host) ? "127.0.0.1" : named}:${port}` : "";
  const isUp = async () =>
    web ? [200, 401, 503].includes((await fetch(`${address}/api/health`)).status) : worker?.told === true;
  await until(isUp, 60_000, web ? "the web server" : "the render process");
  return {
    address,
    webPid: web?.child.pid ?? 0,
    renewWorker: () => void worker?.child.kill(),
    stop: async () => {
      stopping = true;
      clearInterval(watch);
      await Promise.all(keepers.map(({ keeper: { child } }) => endSoon(child)));
    },
  };
}

/** Asks a process to end, and ends it where it does not. */
function endSoon(child: ChildProcess): Promise<void> {
  return new Promise((resolve) => {
    if (child.exitCode !== null || child.signalCode !== null) return resolve();
    child.once("exit", () => resolve());
    child.kill("SIGTERM");
    child.kill("SIGCONT");
    setTimeout(() => child.kill("SIGKILL"), 8000).unref();
  });
}

async function until(ready: () => Promise<boolean>, withinMs: number, what: string): Promise<void> {
  const deadline = Date.now() + withinMs;
  for (;;) {
    if (await ready().catch(() => false)) return;
    if (Date.now() > deadline) throw new Error(`${what} did not come up within ${withinMs / 1000} s`);
    await new Promise((resolve) => setTimeout(resolve, 100));
  }
}
