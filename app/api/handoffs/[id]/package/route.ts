import { database } from "@/server/db/connect";
import { answer, attachment, fileAnswer } from "@/server/http/answer";
import { audioStore } from "@/server/services/audio";
import { readHandoff } from "@/server/services/handoffs";

export const dynamic = "force-dynamic";

export const GET = answer(async (request, { id = "" }) => {
  const { fileName } = await readHandoff(database().db, id);
  return fileAnswer(request, audioStore().packagePath(id), {
    "Content-Type": "application/zip",
    "Content-Disposition": attachment(fileName),
  });
});
