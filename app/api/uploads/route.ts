import { bodyStream, sizeOf } from "@/server/http/body";
import { route } from "@/server/http/operation";
import { keepUpload } from "@/server/services/audio";

export const dynamic = "force-dynamic";

export const POST = route("POST /api/uploads", ({ request }) => keepUpload(bodyStream(request), sizeOf(request)));
