import { database } from "@/server/db/connect";
import { answer, fileAnswer } from "@/server/http/answer";
import { audioStore, readAudio } from "@/server/services/audio";

export const dynamic = "force-dynamic";

export const GET = answer(async (request, { hash = "" }) => {
  await readAudio(database().db, hash);
  return fileAnswer(request, audioStore().path(hash), { "Content-Type": "audio/wav" });
});
