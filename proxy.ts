import { NextResponse } from "next/server";
import type { NextRequest } from "next/server";
import { isLocalHost } from "./server/http/local";

/**
 * Every page and every file of a page is for this machine's own name. Routes under /api check it themselves, with their
 * origin; bodies that pass here would be cut at 10 MB.
 */
export function proxy(request: NextRequest): NextResponse {
  if (isLocalHost(request.headers.get("host"))) return NextResponse.next();
  return new NextResponse("Stemzo answers under its own address only: open it at localhost.\n", {
    status: 400,
    headers: { "Content-Type": "text/plain; charset=utf-8" },
  });
}

export const config = { matcher: "/((?!api/).*)" };
