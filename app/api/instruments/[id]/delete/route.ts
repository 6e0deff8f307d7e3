import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { deleteInstrumentFile } from "@/server/services/instruments";

export const dynamic = "force-dynamic";

export const POST = route("POST /api/instruments/{id}/delete", ({ params }) =>
  deleteInstrumentFile(database().db, params.id),
);
