import { database } from "@/server/db/connect";
import { attachment, fileAnswer } from "@/server/http/file-answer";
import { typeOf } from "@/server/http/types";
import { route } from "@/server/http/operation";
import { audioStore } from "@/server/services/audio";
import { readHandoff } from "@/server/services/handoffs";
import { fileOfPackage } from "@/server/services/package-files";

export const dynamic = "force-dynamic";

export const GET = route("GET /api/handoffs/{id}/files/{name}", async ({ request, params: { id, name } }) => {
  await readHandoff(database().db, id);
  const file = await fileOfPackage(await audioStore().packages.local(id), name);
  return fileAnswer(request, file, { "Content-Type": typeOf(name), "Content-Disposition": attachment(name) });
});
