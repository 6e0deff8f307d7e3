import { createServer, request } from "node:http";
import type { AddressInfo } from "node:net";

/**
 * Another address of a Stemzo on this machine whose pages have no content policy, so that a test may bring something of
 * its own into them.
 */
export async function withoutPolicy(address: string): Promise<{ readonly address: string; stop(): void }> {
  const { hostname, port } = new URL(address);
  const server = createServer((asked, answer) => {
    const { method, url, headers } = asked;
    const own = { hostname, port, method, path: url, headers };
    const passed = request(own, (got) => {
      const kept = Object.entries(got.headers).filter(([name]) => name !== "content-security-policy");
      answer.writeHead(got.statusCode ?? 502, Object.fromEntries(kept));
      got.pipe(answer);
    });
    passed.on("error", () => answer.destroy());
    answer.on("close", () => passed.destroy());
    asked.pipe(passed);
  });
  await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
  return {
    address: `http://127.0.0.1:${(server.address() as AddressInfo).port}`,
    stop: () => {
      server.closeAllConnections();
      server.close();
    },
  };
}
