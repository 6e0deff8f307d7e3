import { database } from "@/server/db/connect";
import { notFound } from "@/server/fault";
import { attachment, fileAnswer } from "@/server/http/file-answer";
import { route } from "@/server/http/operation";
import { audioStore } from "@/server/services/audio";
import { readJob } from "@/server/services/jobs";

export const dynamic = "force-dynamic";

export const GET = route("GET /api/jobs/{id}/file", async ({ request, params: { id } }) => {
  const { result } = await readJob(database().db, id);
  // Files are kept for a day: the job is told of for longer.
  if (result?.kind !== "save audio") throw notFound("such file any more");
  return fileAnswer(request, await audioStore().saved.local(id), {
    "Content-Type": "application/octet-stream",
    "Content-Disposition": attachment(result.fileName),
  });
});
