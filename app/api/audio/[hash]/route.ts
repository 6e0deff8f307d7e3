import { database } from "@/server/db/connect";
import { fileAnswer } from "@/server/http/file-answer";
import { route } from "@/server/http/operation";
import { audioStore, readAudio } from "@/server/services/audio";

export const dynamic = "force-dynamic";

export const GET = route("GET /api/audio/{hash}", async ({ request, params: { hash } }) => {
  await readAudio(database().db, hash);
  return fileAnswer(request, await audioStore().audioHere(hash), { "Content-Type": "audio/wav" });
});
