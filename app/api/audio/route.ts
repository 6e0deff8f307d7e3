import { database } from "@/server/db/connect";
import { bodyStream } from "@/server/http/answer";
import { route } from "@/server/http/operation";
import { takeUpload } from "@/server/services/audio";

export const dynamic = "force-dynamic";

export const POST = route("POST /api/audio", ({ request }) => takeUpload(database().db, bodyStream(request)));
