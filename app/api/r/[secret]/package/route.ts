import { database } from "@/server/db/connect";
import { attachment, fileAnswer } from "@/server/http/file-answer";
import { route } from "@/server/http/operation";
import { fetchThrough } from "@/server/services/links";

export const dynamic = "force-dynamic";

export const GET = route("GET /api/r/{secret}/package", async ({ request, params: { secret } }) => {
  const { file, fileName, onSent } = await fetchThrough(database().db, request, secret, { what: "package" }, true);
  const headers = { "Content-Type": "application/zip", "Content-Disposition": attachment(fileName) };
  return fileAnswer(request, file, headers, onSent);
});
