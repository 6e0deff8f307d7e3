import { spawn } from "node:child_process";
import { join } from "node:path";
import { hashLogin } from "../../server/access/secrets";
import { freePort } from "../../scripts/database";

const ROOT = join(import.meta.dirname, "../..");

/** A second web server on the run's own data that is open to others, with a password. */
export async function openDoor(password: string): Promise<{ readonly port: number; stop(): void }> {
  const port = await freePort();
  const child = spawn(
    process.execPath,
    [
      "-r",
      join(ROOT, "scripts/web-requests.cjs"),
      join(ROOT, "node_modules/next/dist/bin/next"),
      "start",
      "-H",
      "0.0.0.0",
      "-p",
      String(port),
    ],
    {
      cwd: ROOT,
      stdio: "ignore",
      env: {
        ...process.env,
        NODE_ENV: "production",
        STEMZO_HOST: "0.0.0.0",
        STEMZO_NAMES: "studio.example",
        STEMZO_PASSWORD_HASH: await hashLogin(password),
        STEMZO_DATABASE: process.env["STEMZO_DATABASE_URL"],
        STEMZO_DATA: process.env["STEMZO_DATA_ROOT"],
        STEMZO_BUILD: process.env["STEMZO_WEB_BUILD"],
      },
    },
  );
  for (let tries = 0; ; tries++) {
    const up = await fetch(`http://127.0.0.1:${port}/api/health`).then(
      () => true,
      () => false,
    );
    if (up) break;
    if (tries > 200) throw new Error("the open server did not come up");
    await new Promise((resolve) => setTimeout(resolve, 100));
  }
  return { port, stop: () => void child.kill("SIGKILL") };
}
