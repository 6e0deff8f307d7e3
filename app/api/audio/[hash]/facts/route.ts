import { database } from "@/server/db/connect";
import { answer } from "@/server/http/answer";
import { readAudio } from "@/server/services/audio";

export const dynamic = "force-dynamic";

export const GET = answer(async (_request, { hash = "" }) => Response.json(await readAudio(database().db, hash)));
