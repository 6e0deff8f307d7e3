import type { NextConfig } from "next";

// While developing, pages are made of pieces that are evaluated, and told of changes through a socket.
const dev = process.env.NODE_ENV === "development";
const policy = [
  "default-src 'self'",
  // Next writes its start-up scripts into the page; everything else comes from this server.
  `script-src 'self' 'unsafe-inline' 'wasm-unsafe-eval'${dev ? " 'unsafe-eval'" : ""}`,
  "style-src 'self' 'unsafe-inline'",
  "img-src 'self' data: blob:",
  "worker-src 'self' blob:",
  `connect-src 'self'${dev ? " ws:" : ""}`,
  "frame-ancestors 'none'",
  "base-uri 'none'",
  "form-action 'self'",
].join("; ");

const config: NextConfig = {
  distDir: process.env["STEMZO_BUILD"] ?? ".next",
  agentRules: false,
  experimental: { agentUpgrade: false },
  poweredByHeader: false,
  serverExternalPackages: ["graphile-worker", "pg", "pino", "prom-client", "yauzl"],
  turbopack: { root: import.meta.dirname },
  outputFileTracingRoot: import.meta.dirname,
  typescript: { ignoreBuildErrors: true },
  headers: async () => [
    {
      source: "/:path*",
      headers: [
        { key: "Cross-Origin-Opener-Policy", value: "same-origin" },
        { key: "Cross-Origin-Embedder-Policy", value: "require-corp" },
        { key: "Cross-Origin-Resource-Policy", value: "same-origin" },
        { key: "Content-Security-Policy", value: policy },
        { key: "X-Content-Type-Options", value: "nosniff" },
        { key: "Referrer-Policy", value: "no-referrer" },
      ],
    },
  ],
};

export default config;
