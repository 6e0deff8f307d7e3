"use strict";

/**
 * Loaded into the web server before anything else: methods that no address takes are refused before the framework makes
 * a request of them, where it would fail (Fetch Standard, 2.2.1: CONNECT, TRACE and TRACK are forbidden).
 */
const { Server } = process.getBuiltinModule("node:http");

const KNOWN = new Set(["GET", "HEAD", "POST", "PUT", "PATCH", "DELETE", "OPTIONS"]);
const emit = Server.prototype.emit;

Server.prototype.emit = function (event, request, response, ...rest) {
  if (event !== "request" || KNOWN.has(request.method)) return emit.call(this, event, request, response, ...rest);
  const fault = {
    what: `No address takes the method ${request.method}.`,
    kept: "Nothing was changed.",
    todo: "See /api/openapi.json for what each takes.",
    problems: [],
  };
  response.writeHead(405, { "Content-Type": "application/json", Allow: [...KNOWN].join(", "), Connection: "close" });
  response.end(JSON.stringify({ fault }));
  return true;
};
