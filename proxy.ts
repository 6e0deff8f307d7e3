import { NextResponse } from "next/server";
import type { NextRequest } from "next/server";
import { isKnownHost } from "./server/access/hosts";
import { isIn } from "./server/access/login";

/** What is served without a login: its own page, receivers' pages, and the files that those are made of. */
const OPEN = /^\/(login$|r\/|_next\/|icon\.svg$)/;

/**
 * Every page and every file of a page is for those who are let in, under this server's own name. Routes under /api
 * check it themselves, with their origin; bodies that pass here would be cut at 10 MB.
 */
export async function proxy(request: NextRequest): Promise<NextResponse> {
  const { pathname, search } = request.nextUrl;
  if (!isKnownHost(request.headers.get("host")))
    return new NextResponse("Stemzo answers under its own address only: open it at localhost.\n", {
      status: 400,
      headers: { "Content-Type": "text/plain; charset=utf-8" },
    });
  if (OPEN.test(pathname) || (await isIn(request.headers))) return NextResponse.next();
  const door = new URL("/login", request.url);
  if (pathname !== "/") door.searchParams.set("to", pathname + search);
  return NextResponse.redirect(door);
}

export const config = { matcher: "/((?!api/).*)" };
