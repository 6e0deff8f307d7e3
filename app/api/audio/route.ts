import { database } from "@/server/db/connect";
import { bodyStream, sizeOf } from "@/server/http/body";
import { route } from "@/server/http/operation";
import { takeUpload } from "@/server/services/audio";

export const dynamic = "force-dynamic";

export const POST = route("POST /api/audio", ({ request }) =>
  takeUpload(database().db, bodyStream(request), sizeOf(request)),
);
