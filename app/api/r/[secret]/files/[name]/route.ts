import { database } from "@/server/db/connect";
import { attachment, fileAnswer } from "@/server/http/file-answer";
import { typeOf } from "@/server/http/types";
import { route } from "@/server/http/operation";
import { fetchThrough } from "@/server/services/links";

export const dynamic = "force-dynamic";

export const GET = route("GET /api/r/{secret}/files/{name}", async ({ request, params: { secret, name }, query }) => {
  const saved = query.save === "1";
  const { file, fileName, onSent } = await fetchThrough(database().db, request, secret, { what: "file", name }, saved);
  const headers = {
    "Content-Type": typeOf(fileName),
    ...(saved ? { "Content-Disposition": attachment(fileName) } : {}),
  };
  return fileAnswer(request, file, headers, onSent);
});
