"use strict";

/**
 * The files of the build, from memory: they never change under their names. The framework looks for a route, asks the
 * proxy and packs each file again for every request, which takes longer than all else of opening a page.
 */
const { readFileSync, readdirSync } = process.getBuiltinModule("node:fs");
const { extname, join } = process.getBuiltinModule("node:path");
const { gzip } = process.getBuiltinModule("node:zlib");
const headers = require("../app/headers.json");

const PREFIX = "/_next/static/";
const TYPES = {
  ".css": "text/css; charset=utf-8",
  ".js": "text/javascript; charset=utf-8",
  ".json": "application/json",
  ".svg": "image/svg+xml",
  ".wasm": "application/wasm",
  ".woff2": "font/woff2",
};
/** Fonts are packed already. */
const PACKED = new Set([".woff2"]);

/** By address: type, bytes, and the same bytes packed once another machine has asked for them. */
const files = new Map();

/** Fonts that every page is written in: asked for with its first byte, none of it is laid out twice. */
const FONTS = /-latin-(standard|wght)-normal\.[^/]*\.woff2$/;
let fontLinks = "";

/** Reads the build's files. */
function load(build) {
  const folder = join(build, "static");
  for (const entry of readdirSync(folder, { recursive: true, withFileTypes: true })) {
    const type = TYPES[extname(entry.name)];
    if (!entry.isFile() || type === undefined) continue;
    const path = join(entry.parentPath ?? entry.path, entry.name);
    const file = { type, plain: readFileSync(path), packs: !PACKED.has(extname(entry.name)), packed: null };
    files.set(PREFIX + path.slice(folder.length + 1), file);
  }
  const fonts = [...files.keys()].filter((address) => FONTS.test(address));
  fontLinks = fonts.map((address) => `<${address}>; rel=preload; as=font; type=font/woff2; crossorigin`).join(", ");
}

/** Tells a browser that opens a page which fonts it will need. */
function announceFonts(request, response) {
  if (fontLinks !== "" && request.headers["sec-fetch-dest"] === "document") response.setHeader("Link", fontLinks);
}

/** Answers where a file of the build is asked for; `isNear`: the network is faster than packing. */
function answerWithFile(request, response, isNear) {
  const file = files.get(request.url);
  if (!file || (request.method !== "GET" && request.method !== "HEAD")) return false;
  const send = (body, encoding) => {
    response.writeHead(200, {
      ...headers,
      ...encoding,
      "Content-Type": file.type,
      "Content-Length": body.length,
      "Cache-Control": "public, max-age=31536000, immutable",
      Vary: "Accept-Encoding",
    });
    response.end(request.method === "HEAD" ? undefined : body);
  };
  const takesPacked = /\bgzip\b/.test(request.headers["accept-encoding"] ?? "");
  if (isNear || !file.packs || !takesPacked) send(file.plain, {});
  else {
    file.packed ??= new Promise((resolve, reject) =>
      gzip(file.plain, (fault, body) => (fault ? reject(fault) : resolve(body))),
    );
    file.packed.then(
      (body) => send(body, { "Content-Encoding": "gzip" }),
      () => send(file.plain, {}),
    );
  }
  return true;
}

module.exports = { load, announceFonts, answerWithFile };
