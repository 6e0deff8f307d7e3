import { randomUUID } from "node:crypto";
import { Refusal, notFound } from "../fault";
import type { ServiceFault } from "../../contract/job";
import { isKnownHost, isOwnOrigin } from "../access/hosts";
import { isIn } from "../access/login";
import { log } from "../log";
import { countRequest } from "./metrics";
import { letGoOfBody } from "./body";
import { refusalOf } from "./refusal";

/** Characters that no name has: those that control devices, and halves of characters. */
const UNPRINTABLE = /[\u0000-\u001f\u007f]|\p{Surrogate}/u;
type Params = Record<string, string>;
type Handler = (request: Request, context: { params: Promise<Params> }) => Promise<Response>;

/**
 * Wraps a route's work: refusals become their answer, anything unforeseen becomes a 500 that gives nothing away. Every
 * request is counted and leaves a line in the log, under the id that its answer carries.
 */
export function answer(
  work: (request: Request, params: Params) => Promise<Response>,
  { open = false }: { readonly open?: boolean } = {},
): Handler {
  return async (request, context) => {
    const id = randomUUID();
    const began = performance.now();
    // A route without any is given none at all.
    const params: Params = ((await context.params) as Params | undefined) ?? {};
    const response = await answerTo(request, params, { work, open, id });
    letGoOfBody(request);
    const ms = performance.now() - began;
    const { method } = request;
    const path = published(new URL(request.url).pathname, params);
    countRequest(method, path, response.status, ms / 1000);
    // The secret of a link opens it: it stands in no log.
    const named = Object.fromEntries(Object.entries(params).filter(([name]) => name !== "secret"));
    log.info({ request: id, method, path, ...named, status: response.status, ms: Math.round(10 * ms) / 10 }, "request");
    return identified(response, id);
  };
}

/** An answer's headers may be sealed: then it is made anew around the same body. */
function identified(response: Response, id: string): Response {
  try {
    response.headers.set("X-Request-Id", id);
    return response;
  } catch {
    const { status, headers } = response;
    return new Response(response.body, { status, headers: { ...Object.fromEntries(headers), "X-Request-Id": id } });
  }
}

/** An address as it is published, with its variable parts in braces. */
function published(path: string, params: Params): string {
  const names = new Map(Object.entries(params).map(([name, value]) => [value, name]));
  return path
    .split("/")
    .map((part) => {
      const name = names.get(part) ?? names.get(safelyDecoded(part));
      return name === undefined ? part : `{${name}}`;
    })
    .join("/");
}

function safelyDecoded(part: string): string {
  try {
    return decodeURIComponent(part);
  } catch {
    return part;
  }
}

async function answerTo(
  request: Request,
  params: Params,
  {
    work,
    open,
    id,
  }: {
    readonly work: (request: Request, params: Params) => Promise<Response>;
    readonly open: boolean;
    readonly id: string;
  },
): Promise<Response> {
  try {
    refuseForeign(request, open);
    if (!open) await refuseStranger(request);
    // What cannot be anybody's name is not looked up.
    if (Object.values(params).some((p) => UNPRINTABLE.test(p))) throw notFound("such thing");
    return await work(request, params);
  } catch (error) {
    const refusal = refusalOf(error);
    if (refusal) {
      // Reasons outside of the request are logged for the administrator as well.
      if (refusal.status >= 500 && refusal !== error)
        log.warn({ request: id, because: reason(error) }, refusal.message);
      return Response.json({ fault: refusal.fault }, { status: refusal.status });
    }
    log.error({ request: id, err: error }, "unforeseen");
    const fault: ServiceFault = {
      what: "Something went wrong on the server.",
      kept: "What was stored before is untouched.",
      todo: `Try again. The server's log says more of request ${id}.`,
      problems: [],
    };
    return Response.json({ fault }, { status: 500 });
  }
}

/** What lies behind an error, in its own words. */
function reason(error: unknown): string {
  let at = error;
  while (at instanceof Error && at.cause instanceof Error) at = at.cause;
  return at instanceof Error ? at.message : String(at);
}

/** Another site's page in the same browser must not be able to change or read anything here. */
function refuseForeign(request: Request, open: boolean): void {
  const host = request.headers.get("host");
  // A page's pictures and scripts are asked for without an origin; browsers say where they come from all the same
  // (Fetch Metadata Request Headers, 2.4). A private link may be followed from anywhere.
  const isCrossSite = /^(cross|same)-site$/.test(request.headers.get("sec-fetch-site") ?? "");
  if (isKnownHost(host) && isOwnOrigin(request.headers.get("origin"), host) && (open || !isCrossSite)) return;
  throw new Refusal(400, {
    what: "This request comes from another site.",
    kept: "Nothing was changed.",
    todo: "Open Stemzo at its own address.",
    problems: [],
  });
}

/** Where others can come in, only those do who have the password; doors for everybody say so. */
async function refuseStranger(request: Request): Promise<void> {
  if (await isIn(request.headers)) return;
  throw new Refusal(401, {
    what: "The password is needed here.",
    kept: "Nothing was changed.",
    todo: "Log in at /login.",
    problems: [],
  });
}
