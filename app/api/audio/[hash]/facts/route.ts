import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { readAudio } from "@/server/services/audio";

export const dynamic = "force-dynamic";

export const GET = route("GET /api/audio/{hash}/facts", ({ params }) => readAudio(database().db, params.hash));
