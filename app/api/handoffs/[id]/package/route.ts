import { database } from "@/server/db/connect";
import { attachment, fileAnswer } from "@/server/http/file-answer";
import { route } from "@/server/http/operation";
import { audioStore } from "@/server/services/audio";
import { readHandoff } from "@/server/services/handoffs";

export const dynamic = "force-dynamic";

export const GET = route("GET /api/handoffs/{id}/package", async ({ request, params: { id } }) => {
  const { fileName } = await readHandoff(database().db, id);
  return fileAnswer(request, await audioStore().packages.local(id), {
    "Content-Type": "application/zip",
    "Content-Disposition": attachment(fileName),
  });
});
