"use strict";

/**
 * Loaded into the web server before anything else. Requests that the framework would fail on are refused before it
 * makes a request of them: methods that no address takes (Fetch Standard, 2.2.1: CONNECT, TRACE and TRACK are
 * forbidden), and addresses that are not UTF-8 in percent-encoding (RFC 3986, 2.1). The address of the connection's
 * other end is written down where the rest of the server looks for it; what a request says of that itself counts only
 * behind a trusted proxy. Files of the build are answered here.
 */
const { Server } = process.getBuiltinModule("node:http");
const { announceFonts, answerWithFile, load } = require("./static-files.cjs");

const KNOWN = new Set(["GET", "HEAD", "POST", "PUT", "PATCH", "DELETE", "OPTIONS"]);
const emit = Server.prototype.emit;
const trustsProxy = process.env.STEMZO_TRUST_PROXY === "1";

/** Addresses of this machine itself, also as IPv6 writes those of IPv4. */
const OWN = /^(::1|(::ffff:)?127(\.\d+){3})$/;
const isDeveloping = process.env.NODE_ENV === "development";
if (!isDeveloping) load(process.env.STEMZO_BUILD);

const isAddress = (url) => {
  if (!url.startsWith("/")) return /^https?:\/\//i.test(url);
  try {
    decodeURIComponent(url.split("?", 1)[0]);
    return true;
  } catch {
    return false;
  }
};

const refuse = (response, status, headers, what, todo) => {
  const fault = { what, kept: "Nothing was changed.", todo, problems: [] };
  response.writeHead(status, { "Content-Type": "application/json", Connection: "close", ...headers });
  response.end(JSON.stringify({ fault }));
  return true;
};

Server.prototype.emit = function (event, request, response, ...rest) {
  if (event !== "request") return emit.call(this, event, request, response, ...rest);
  const todo = "See /api/openapi.json for what each takes.";
  if (!KNOWN.has(request.method))
    return refuse(
      response,
      405,
      { Allow: [...KNOWN].join(", ") },
      `No address takes the method ${request.method}.`,
      todo,
    );
  if (!isAddress(request.url)) return refuse(response, 400, {}, "This address is malformed.", todo);
  const from = request.socket.remoteAddress ?? "";
  // A proxy in front may be on this machine and its readers far away.
  const isNear = !trustsProxy && OWN.test(from);
  if (answerWithFile(request, response, isNear)) return true;
  announceFonts(request, response);
  // Packing takes longer than sending what is not packed to this machine.
  if (isNear) delete request.headers["accept-encoding"];
  if (!trustsProxy) request.headers["x-forwarded-for"] = from;
  return emit.call(this, event, request, response, ...rest);
};
