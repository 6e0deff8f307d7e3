import { readFileSync } from "node:fs";
import { join } from "node:path";

/** Read once, when the pages are built. */
export const dynamic = "force-static";

/** Licences of the packages that Stemzo is made with; `npm run notices` writes them. */
export const GET = (): Response =>
  new Response(readFileSync(join(process.cwd(), "THIRD-PARTY-NOTICES.txt")), {
    headers: { "Content-Type": "text/plain; charset=utf-8" },
  });
