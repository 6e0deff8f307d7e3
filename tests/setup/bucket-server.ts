import { spawn } from "node:child_process";
import { once } from "node:events";
import { freePort } from "../../scripts/database";
import { pythonEnvironment } from "./python-tools";

/** A server of buckets for tests: moto's, which keeps them in memory. */
export interface BucketServer {
  readonly address: string;
  stop(): Promise<void>;
}

/** What reaches it is told as for any such store. */
export const bucketEnvironment = (address: string): Readonly<Record<string, string>> => ({
  AWS_ENDPOINT_URL_S3: address,
  AWS_REGION: "us-east-1",
  AWS_ACCESS_KEY_ID: "stemzo",
  AWS_SECRET_ACCESS_KEY: "secret of the tests",
});

/** Starts one with an empty bucket, within `through`: a command that runs it elsewhere, as in another namespace. */
export async function startBucketServer(
  name: string,
  { host = "127.0.0.1", through = [] }: { readonly host?: string; readonly through?: readonly string[] } = {},
): Promise<BucketServer> {
  const port = await freePort();
  const [program = "", ...args] = [...through, "python3", "-m", "moto.server", "-H", host, "-p", String(port)];
  const child = spawn(program, args, { env: pythonEnvironment("bucket"), stdio: "ignore" });
  const address = `http://${host}:${port}`;
  for (let tries = 0; ; tries++) {
    if (
      await fetch(`${address}/${name}`, { method: "PUT" }).then(
        (made) => made.ok,
        () => false,
      )
    )
      break;
    if (tries > 300 || child.exitCode !== null) throw new Error("the bucket's server did not come up");
    await new Promise((resolve) => setTimeout(resolve, 100));
  }
  return {
    address,
    stop: async () => {
      if (child.exitCode !== null) return;
      child.kill("SIGKILL");
      await once(child, "exit");
    },
  };
}
