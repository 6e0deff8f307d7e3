import type { NextConfig } from "next";
import headers from "./app/headers.json";

/**
 * Next writes its start-up scripts into the page, hence 'unsafe-inline'; everything else comes from this server. While
 * developing, pages are made of pieces that are evaluated, and are told of changes through a socket.
 */
const inDevelopment = (all: typeof headers): typeof headers =>
  process.env.NODE_ENV !== "development"
    ? all
    : {
        ...all,
        "Content-Security-Policy": all["Content-Security-Policy"]
          .replace("'wasm-unsafe-eval'", "'wasm-unsafe-eval' 'unsafe-eval'")
          .replace("connect-src 'self'", "connect-src 'self' ws:"),
      };

const config: NextConfig = {
  distDir: process.env["STEMZO_BUILD"] ?? ".next",
  agentRules: false,
  experimental: { agentUpgrade: false, inlineCss: true },
  poweredByHeader: false,
  serverExternalPackages: ["graphile-worker", "pg", "pino", "prom-client", "yauzl"],
  turbopack: { root: import.meta.dirname },
  outputFileTracingRoot: import.meta.dirname,
  typescript: { ignoreBuildErrors: true },
  // Files of the build get them from `scripts/static-files.cjs`.
  headers: async () => [
    { source: "/:path*", headers: Object.entries(inDevelopment(headers)).map(([key, value]) => ({ key, value })) },
  ],
};

export default config;
